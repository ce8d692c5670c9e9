// npm run demo: the same as npm start with the ferry company's site, its third party, and everything connected.
import { randomBytes } from 'node:crypto'
import { ensureChromium, ensureDemo } from './ensure.mjs'
import { connectDemo, DEMO_PROGRAMS, demoSettings, SIGN_IN_NOTICE, startDemoEdges } from './demo-data.mjs'
import { controlUrl, Supervisor } from './supervise.mjs'

await ensureDemo()
// Without Chromium everything but measuring works; the sentence says how to get it.
await ensureChromium().catch((error) => console.error(error.message))
const { buildAll, prepareDemo } = await import('./build.mjs')
await buildAll()
await prepareDemo()
const dataDir = process.env.ZEST_DATA_DIR ?? './data'
const token = process.env.ZEST_API_TOKEN ?? randomBytes(24).toString('base64url')
const supervisor = new Supervisor({
  ZEST_DATA_DIR: dataDir,
  ZEST_API_TOKEN: token,
  ZEST_SIGN_IN_NOTICE: SIGN_IN_NOTICE,
  ...demoSettings(),
})
console.log('starting; the first time, the pictures of the demo site are drawn, which takes a minute or two …')
supervisor.startAll(DEMO_PROGRAMS)
await connectDemo(dataDir, token)
// Set to 0, visitors in other places do without: three processes fewer on a small machine.
if (process.env.ZEST_DEMO_EDGES !== '0') await startDemoEdges(supervisor, dataDir, token)
console.log(`ready ${controlUrl()}`)
