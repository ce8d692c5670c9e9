// npm run demo: the same as npm start with the ferry company's site, its third party, and everything connected.
import { randomBytes } from 'node:crypto'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { ensureChromium, ensureInstalled } from './ensure.mjs'
import { askOwn, basePort, controlUrl, Supervisor, waitFor } from './supervise.mjs'

const ACCOUNT = { name: 'keeper@orrin-sound.example', password: 'nine quays' }

await ensureInstalled()
// Without Chromium everything but measuring works; the sentence says how to get it.
await ensureChromium().catch((error) => console.error(error.message))
const { buildAll } = await import('./build.mjs')
await buildAll()
const dataDir = process.env.ZEST_DATA_DIR ?? './data'
const token = process.env.ZEST_API_TOKEN ?? randomBytes(24).toString('base64url')
const supervisor = new Supervisor({
  ZEST_DATA_DIR: dataDir,
  ZEST_API_TOKEN: token,
  ZEST_SIGN_IN_NOTICE: `Demo account: ${ACCOUNT.name}, password: ${ACCOUNT.password}`,
})
const control = controlUrl()
const site = `http://127.0.0.1:${basePort() + 1}`

const api = async (method, path, body) => {
  const { status, text } = await askOwn(`${control}/api/v1${path}`, {
    method,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  })
  const answer = JSON.parse(text)
  if (status >= 400 && answer.code !== 'NAME_TAKEN') throw new Error(`${method} ${path}: ${answer.detail}`)
  return answer
}

console.log('starting; the first time the pictures of the demo site are drawn, which takes a minute or two …')
for (const name of ['third', 'site', 'delivery', 'control']) supervisor.start(name)
await waitFor(`${control}/api/v1/welcome`)
await waitFor(`http://127.0.0.1:${basePort() + 10}/`)
await waitFor(`${site}/robots.txt`)
await api('POST', '/accounts', ACCOUNT)
const [connected] = await api('GET', '/sites')
const ferry =
  connected ??
  (await api('POST', '/sites', {
    address: site,
    name: 'Orrin Sound Ferries',
    liveHost: 'orrin.localhost',
    trialHost: 'trial.orrin.localhost',
    privateAddresses: 'allowed',
  }))
const target = await api('GET', `/sites/${ferry.id}/event-target`)
await mkdir(join(dataDir, 'demo'), { recursive: true })
await writeFile(join(dataDir, 'demo/event-target.json'), JSON.stringify(target), { mode: 0o600 })
console.log(`ready ${control}`)
