// npm run test:e2e [-- NAME…]: the tests through the real interface, on what is built now.
import { ensureChromium, ensureInstalled } from './ensure.mjs'
import { run } from './shell.mjs'

await ensureInstalled()
await ensureChromium()
const { buildAll } = await import('./build.mjs')
await buildAll()
await run('npx', ['vitest', 'run', '--project=e2e', ...process.argv.slice(2)])
