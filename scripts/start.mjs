// npm start: control and delivery, data in ZEST_DATA_DIR (default ./data).
import { ensureChromium, ensureProduct } from './ensure.mjs'
import { basePort, controlUrl, Supervisor, waitFor } from './supervise.mjs'

await ensureProduct()
// Without Chromium everything but measuring works; the sentence says how to get it.
await ensureChromium().catch((error) => console.error(error.message))
const { buildAll } = await import('./build.mjs')
await buildAll()
const supervisor = new Supervisor({})
supervisor.startAll(['delivery', 'objects', 'control'])
await waitFor(`${controlUrl()}/api/v1/welcome`)
await waitFor(`http://127.0.0.1:${basePort() + 10}/`)
console.log(`ready ${controlUrl()}`)
