// npm run dev: the demo, built again and restarted program by program whenever a source file is saved. Its data stays.
import { createHash, randomBytes } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { ensureChromium, ensureDemo } from './ensure.mjs'
import { connectDemo, DEMO_PROGRAMS, demoSettings, SIGN_IN_NOTICE } from './demo-data.mjs'
import { basePort, controlUrl, Supervisor } from './supervise.mjs'

/** Programs that another one starts for itself: that one is restarted with them. */
const STARTED_BY = {
  'page-worker': 'delivery',
  'bulk-worker': 'delivery',
  'delivery-further': 'delivery',
  lab: 'control',
  recorder: 'control',
}
/** The interface is served from here, and asks control at its usual port. */
const interfacePort = basePort() + 9

await ensureDemo()
await ensureChromium().catch((error) => console.error(error.message))
const { watchServer } = await import('./build.mjs')
const dataDir = process.env.ZEST_DATA_DIR ?? './data'
const token = process.env.ZEST_API_TOKEN ?? randomBytes(24).toString('base64url')
const supervisor = new Supervisor({
  ZEST_DATA_DIR: dataDir,
  ZEST_API_TOKEN: token,
  ZEST_SIGN_IN_NOTICE: SIGN_IN_NOTICE,
  ...demoSettings(),
})

const digests = new Map()
/** Names of the programs whose built file is another one than last time. */
const changedPrograms = (files) =>
  [...files].flatMap(([name, file]) => {
    const digest = createHash('sha256').update(readFileSync(file)).digest('hex')
    const isChanged = digests.get(name) !== digest
    digests.set(name, digest)
    return isChanged ? [name] : []
  })

let started = false
const { close } = await watchServer((files) => {
  const changed = changedPrograms(files)
  if (!started) return
  const restarted = new Set(
    changed.map((name) => STARTED_BY[name] ?? name).filter((name) => DEMO_PROGRAMS.includes(name)),
  )
  if (restarted.size === 0) return
  console.log(`restarting ${[...restarted].join(', ')} …`)
  for (const name of restarted) supervisor.restart(name)
})
supervisor.startAll(DEMO_PROGRAMS)
started = true
await connectDemo(dataDir, token)
const { createServer } = await import('vite')
const vite = await createServer({
  configFile: new URL('../vite.config.ts', import.meta.url).pathname,
  server: { port: interfacePort, strictPort: true, host: '127.0.0.1' },
})
await vite.listen()
supervisor.atEnd(() => Promise.all([close(), vite.close()]))
console.log(`ready http://127.0.0.1:${interfacePort} (control: ${controlUrl()})`)
