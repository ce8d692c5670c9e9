// The demo: the ferry company's site and its third party as programs, an account, and the site connected.
import { existsSync } from 'node:fs'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { root } from './shell.mjs'
import { askOwn, basePort, controlUrl, waitFor } from './supervise.mjs'

const ACCOUNT = { name: 'keeper@orrin-sound.example', password: 'nine quays' }
export const SIGN_IN_NOTICE = `Demo account: ${ACCOUNT.name}, password: ${ACCOUNT.password}`

/** Programs of the demo, in the order in which they are started. */
export const DEMO_PROGRAMS = ['third', 'site', 'names', 'cdn', 'storage', 'delivery', 'objects', 'control']

/** What the demo's programs are told besides: whom to ask for names, and how to reach the rented CDN. */
export const demoSettings = () => ({
  ZEST_DEMO_CDN: `http://127.0.0.1:${basePort() + 8} sound-cdn-demo`,
  ZEST_NAME_SERVERS: process.env.ZEST_NAME_SERVERS ?? `127.0.0.1:${basePort() + 6}`,
})

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
  await connectDatabase(token, ferry.id)
  await mkdir(join(dataDir, 'demo'), { recursive: true })
  await writeFile(join(dataDir, 'demo/event-target.json'), JSON.stringify(target), { mode: 0o600 })
}

/** The site's database and a place for its backups, unless the owner has said something else. Clean-ups stay for the owner to allow. */
const connectDatabase = async (token, siteId) => {
  const path = `/sites/${siteId}/database`
  const { place } = await ask(token, 'GET', `${path}/connection`)
  if (place !== null) return
  await ask(token, 'PUT', `${path}/connection`, {
    place: {
      engine: 'postgresql',
      address: `127.0.0.1:${basePort() + 12}`,
      database: 'ferry',
      user: 'ferry',
      encryption: 'none',
    },
    secret: { password: 'low tide at noon' },
  })
  await ask(token, 'PUT', `${path}/backup-place`, {
    place: { protocol: 'webdav', address: `http://127.0.0.1:${basePort() + 13}/`, user: 'keeper' },
    secret: { kind: 'password', password: 'storm lantern' },
  })
  await ask(token, 'POST', `${path}/backup-place/trials`)
  await ask(token, 'POST', `${path}/connection/trials`)
}

/** Places of the demo, all of them at sea. */
const demoPlaces = async () => JSON.parse(await readFile(join(root, 'standins/distance/places.json'), 'utf8'))

/** Where an edge of the demo listens, and by which port it reaches home over the sea. */
const portsOf = (index) => ({ own: basePort() + 30 + 2 * index, home: basePort() + 3 + index })

/** The token with which an edge of the demo joins; undefined when it has joined already. */
const tokenFor = async (token, place, index, folder) => {
  const edges = await ask(token, 'GET', '/edges')
  const known = edges.find(({ name }) => name === place.name)
  if (known !== undefined && known.state !== 'not-joined' && existsSync(join(folder, 'edge.json'))) return undefined
  if (known !== undefined) return (await ask(token, 'POST', `/edges/${known.id}/tokens`)).token
  const { own, home } = portsOf(index)
  const draft = {
    name: place.name,
    place,
    address: '127.0.0.1',
    port: own,
    securePort: own + 1,
    homeUrl: `http://127.0.0.1:${home}`,
  }
  return (await ask(token, 'POST', '/edges', { ...draft, whenAway: 'ask-origin' })).token
}

/**
 * Start the edges of the demo, each on data and ports of its own, with the distance to home in between.
 * @param {import('./supervise.mjs').Supervisor} supervisor
 * @param {string} dataDir
 * @param {string} token that opens the API
 */
export const startDemoEdges = async (supervisor, dataDir, token) => {
  const { home, far, edges, audience, regions } = await demoPlaces()
  const [site] = await ask(token, 'GET', '/sites')
  if (site.places.origin === null) await ask(token, 'PUT', `/sites/${site.id}/places`, { ...site.places, origin: home })
  if (site.visitors.every(({ place }) => place === null)) {
    const [phone] = site.visitors
    const away = { ...phone, id: 'far-phone', name: 'Phone, far away', place: far }
    await ask(token, 'PUT', `/sites/${site.id}/visitors`, [...site.visitors, away])
  }
  const plan = await ask(token, 'GET', `/sites/${site.id}/region-plan`)
  if (plan.regions.length === 0) {
    const goal = { kind: 'budget', perMonth: 40 }
    await ask(token, 'PUT', `/sites/${site.id}/region-plan`, {
      ...{ currency: 'shells', regions, audience, goal, visitsPerMonth: 60_000 },
    })
  }
  supervisor.start('distance')
  for (const [index, place] of edges.entries()) {
    const folder = join(dataDir, 'edges', String(index + 1))
    await mkdir(folder, { recursive: true, mode: 0o700 })
    const joining = await tokenFor(token, place, index, folder)
    const { own } = portsOf(index)
    const env = {
      ZEST_DATA_DIR: folder,
      ZEST_PORT: String(own - 10),
      // Visitors come by the same addresses as at home: the lab leads them here.
      ZEST_PUBLIC_HTTP_PORT: String(basePort() + 10),
      ZEST_PUBLIC_HTTPS_PORT: String(basePort() + 11),
      ...(joining === undefined ? {} : { ZEST_JOIN: controlUrl(), ZEST_JOIN_TOKEN: joining }),
    }
    supervisor.startApart(`delivery of edge ${index + 1}`, { program: 'delivery', env })
    supervisor.startApart(`edge ${index + 1}`, { program: 'edge', env })
  }
}
