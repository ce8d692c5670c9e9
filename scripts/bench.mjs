// npm run bench [-- NAME…] [--json FILE]: ratios measured within one run.
import { join } from 'node:path'
import { ensureChromium, ensureDatabaseServers, ensureInstalled, ensureNginx, ensureWrk } from './ensure.mjs'
import { root, run } from './shell.mjs'

await ensureInstalled()
await ensureChromium()
await ensureNginx()
await ensureWrk()
await ensureDatabaseServers()
const { buildAll, buildBench } = await import('./build.mjs')
await buildAll()
await buildBench()
await run(process.execPath, [join(root, 'dist/bench.mjs'), ...process.argv.slice(2)])
