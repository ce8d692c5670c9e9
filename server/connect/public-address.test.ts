import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { RunOrder } from '../../core/contracts/measuring.ts'
import { measured, ServerBench } from '../testing/server-bench.ts'
import { checkSite } from './check-site.ts'

/** Sites that answer by one name only (common practice of content systems), connected by the address of their server. */

const PUBLIC = 'https://www.orrin-sound.example'
const OWN = { controlPort: 1, deliveryPort: 2, securePort: 3, objectsPort: 4 }
const PAGES: Record<string, string> = {
  '/': `<title>Orrin Sound</title><a href="${PUBLIC}/boats">Boats</a>`,
  '/boats': '<title>Boats</title>',
  '/robots.txt': `Sitemap: ${PUBLIC}/map.xml`,
  '/map.xml': `<urlset><url><loc>${PUBLIC}/</loc></url><url><loc>${PUBLIC}/boats</loc></url></urlset>`,
}
let server: Server
let address: string
let asked: string[]
/** Whether a request is taken for one to the public address. */
let knows: (host: string | undefined, scheme: string | undefined) => boolean
beforeAll(async () => {
  server = createServer((req, res) => {
    asked.push(`${req.headers.host} ${req.url}`)
    if (!knows(req.headers.host, String(req.headers['x-forwarded-proto'])))
      return void res.writeHead(301, { location: PUBLIC + req.url }).end()
    const body = PAGES[req.url!]
    res.writeHead(body === undefined ? 404 : 200, { 'content-type': 'text/html' }).end(body)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
})
beforeEach(() => {
  asked = []
  knows = (host, scheme) => host === 'www.orrin-sound.example' && scheme === 'https'
})
afterAll(() => {
  server.closeAllConnections()
  server.close()
})

const look = (publicAddress?: string) => checkSite({ address, publicAddress, privateAddresses: 'allowed' }, OWN)

describe('a server that sends every other name to its public address', () => {
  test('is asked by that name, and says so; its sitemap and pages are found', async () => {
    const check = await look()
    expect(check.publicAddress).toBe(PUBLIC)
    expect(check.findings.map(({ code }) => code)).toContain('public-address')
    expect(check.findings.map(({ code }) => code)).toContain('sitemap')
    expect(check.suggestedHosts.live).toBe('orrin-sound.localhost')
    expect(check.sample.map(({ path }) => path)).toEqual(['/', '/boats'])
    expect(new Set(asked.slice(1).map((line) => line.split(' ')[0]))).toEqual(new Set(['www.orrin-sound.example']))
  })
  test('that sends its own name on as well cannot be connected, and the sentence says why', async () => {
    knows = () => false
    const { findings, publicAddress } = await look()
    expect(publicAddress).toBeNull()
    expect(findings).toEqual([
      expect.objectContaining({
        code: 'redirects',
        level: 'stop',
        sentence: expect.stringContaining('even when asked by that name'),
      }),
    ])
  })
})

test('a server that says nothing of its name is asked by the one that the owner gives', async () => {
  knows = (host) => host === 'www.orrin-sound.example'
  expect((await look(PUBLIC)).publicAddress).toBe(PUBLIC)
})

describe('once connected', () => {
  let bench: ServerBench
  beforeEach(async () => {
    bench = await ServerBench.open()
  })
  afterEach(() => bench.close())
  const connect = async () => {
    const { body, status } = await bench.call('POST', '/sites', {
      address,
      name: 'Orrin Sound',
      liveHost: 'orrin.localhost',
      trialHost: 'trial.orrin.localhost',
      privateAddresses: 'allowed',
    })
    expect(status).toBe(201)
    return body
  }

  test('delivery asks the origin by its public name, and passes it on as it is at a name of its own', async () => {
    expect(await connect()).toMatchObject({ hostHeader: 'public', publicAddress: PUBLIC })
    const [site] = bench.configs.at(-1)!.sites
    expect(site!.origin).toMatchObject({ base: address, hostHeader: 'public', publicAddress: PUBLIC })
    const origin = site!.channels.find(({ hosts }) => hosts.includes('origin.trial.orrin.localhost'))!
    expect(Object.values(origin.setup.remedies).some(({ enabled }) => enabled)).toBe(false)
    expect(origin.key).toBeDefined()
  })
  test('the origin is measured by that name, not at an address that leads elsewhere', async () => {
    const site = await connect()
    const orders: RunOrder[] = []
    bench.lab = (order) => {
      orders.push(order)
      return measured(1000)
    }
    await bench.call('POST', `/sites/${site.id}/measurements`, {
      sides: ['origin'],
      pageIds: [site.sample[0].id],
      visitorIds: [site.visitors[0].id],
      runs: 1,
    })
    await bench.services.jobs.idle()
    expect(new URL(orders[0]!.url).hostname).toBe('origin.trial.orrin.localhost')
    expect(orders[0]!.cookies).toEqual([{ name: 'zest-trial-key', value: site.trialKey }])
  })
})
