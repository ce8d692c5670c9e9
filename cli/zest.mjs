#!/usr/bin/env node
// The `zest` command; the program itself is built into dist/ by "npm run build" (npm start and npm run demo do so too).
import { existsSync } from 'node:fs'
import { resolve } from 'node:path'

const program = resolve(import.meta.dirname, '../dist/zest.mjs')
if (existsSync(program)) await import(program)
else {
  console.error('The zest command has not been built yet. Run "npm run build" in the folder of Zest Lamp first.')
  process.exitCode = 2
}
