// The demo: the ferry company's site and its third party as programs, an account, and the site connected.
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { askOwn, basePort, controlUrl, waitFor } from './supervise.mjs'

const ACCOUNT = { name: 'keeper@orrin-sound.example', password: 'nine quays' }
export const SIGN_IN_NOTICE = `Demo account: ${ACCOUNT.name}, password: ${ACCOUNT.password}`

/** Programs of the demo, in the order in which they are started. */
export const DEMO_PROGRAMS = ['third', 'site', 'delivery', 'objects', 'control']

const ask = async (token, method, path, body) => {
  const { status, text } = await askOwn(`${controlUrl()}/api/v1${path}`, {
    method,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  })
  const answer = JSON.parse(text)
  if (status >= 400 && answer.code !== 'NAME_TAKEN') throw new Error(`${method} ${path}: ${answer.detail}`)
  return answer
}

/**
 * Wait until the programs answer, then create the account and connect the ferry site, unless they are there already.
 * @param {string} dataDir where the address for content events is written, for the site to find
 * @param {string} token that opens the API
 */
export const connectDemo = async (dataDir, token) => {
  const site = `http://127.0.0.1:${basePort() + 1}`
  await waitFor(`${controlUrl()}/api/v1/welcome`)
  await waitFor(`http://127.0.0.1:${basePort() + 10}/`)
  await waitFor(`${site}/robots.txt`)
  await ask(token, 'POST', '/accounts', ACCOUNT)
  const [connected] = await ask(token, 'GET', '/sites')
  const ferry =
    connected ??
    (await ask(token, 'POST', '/sites', {
      address: site,
      name: 'Orrin Sound Ferries',
      liveHost: 'orrin.localhost',
      trialHost: 'trial.orrin.localhost',
      privateAddresses: 'allowed',
    }))
  const target = await ask(token, 'GET', `/sites/${ferry.id}/event-target`)
  await mkdir(join(dataDir, 'demo'), { recursive: true })
  await writeFile(join(dataDir, 'demo/event-target.json'), JSON.stringify(target), { mode: 0o600 })
}
