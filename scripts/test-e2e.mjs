// npm run test:e2e [-- NAME…]: the tests through the real interface, on what is built now; npm run test:long: those that take minutes.
import {
  ensureChromium,
  ensureDatabaseServers,
  ensureInstalled,
  ensurePebble,
  ensurePhp,
  ensureRedis,
} from './ensure.mjs'
import { run } from './shell.mjs'

const [project = 'e2e', ...names] = process.argv.slice(2)
await ensureInstalled()
await ensureChromium()
await ensureRedis()
await ensurePhp()
await ensurePebble()
await ensureDatabaseServers()
const { buildAll } = await import('./build.mjs')
await buildAll()
/** What belongs to it besides. */
const BESIDES = { e2e: 'e2e-side-by-side', long: 'further' }
await run('npx', [
  'vitest',
  'run',
  ...[project, BESIDES[project]].filter(Boolean).map((one) => `--project=${one}`),
  ...names,
])
