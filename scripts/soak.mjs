// npm run soak [-- MINUTES]: everything at once for some minutes, each answer checked.
import { join } from 'node:path'
import { ensureInstalled } from './ensure.mjs'
import { root, run } from './shell.mjs'

await ensureInstalled()
const { buildServer, buildBench } = await import('./build.mjs')
await buildServer()
await buildBench()
await run(process.execPath, [join(root, 'dist/soak.mjs'), ...process.argv.slice(2)])
