import { createHash } from 'node:crypto'
import { afterEach, beforeEach, expect, test } from 'vitest'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { edgeConfig } from '../../core/edges/edge-config.ts'
import { purge } from '../purge/purge.ts'
import { DeliveryBench, setupWith, type Remedies } from '../testing/bench-setup.ts'

/** Setups change while visitors come through an edge: each gets a page of one setup, whole, and nobody an error. */
const KEY = 'the-key-of-the-edge-1234'
const KNOWN = { id: 'isle', keyDigest: createHash('sha256').update(KEY).digest('base64url') }
const PATHS = ['/', '/a', '/b', '/c']
const VISITORS = 6
const SWAPS = 12
const CALM: Remedies = { pageCache: { lifetimeS: 600 } }
/** Each leaves a mark at the beginning of the page, in its middle and at its end. */
const SETUPS: Remedies[] = [
  { ...CALM, lazy: { firstImages: 0 } },
  { ...CALM, filesCdn: { address: 'https://files.example' } },
  { ...CALM, minify: {} },
]

let home: DeliveryBench
let edge: DeliveryBench

const pageOf = (path: string): string => {
  const picture = (at: number): string => `<p>  ${path}  <img src="/media/${at}.png"  alt="${at}">  </p>\n`
  const filling = `<p>${'words of the page '.repeat(2000)}</p>`
  return `<!doctype html><html><body>\n${picture(1)}${filling}${picture(2)}${filling}${picture(3)}</body></html>`
}
const serve = async (remedies: Remedies): Promise<void> => {
  home.use(setupWith(remedies))
  const config: DeliveryConfig = { ...home.config, edges: [KNOWN] }
  home.useConfig(config)
  const through = { base: `http://127.0.0.1:${home.port}`, edge: KNOWN.id, key: KEY, whenAway: 'ask-origin' } as const
  edge.useConfig(edgeConfig(config, through, null))
  const [site] = config.sites
  const order = { siteId: site!.siteId, what: { kind: 'everything' }, manner: 'hard' } as const
  // As control orders it: first where it is made, then at the edges.
  await purge(order, home.io)
  await purge(order, edge.io)
}
const visit = async (path: string): Promise<string> => {
  const { status, body } = await edge.ask(path)
  expect(status).toBe(200)
  return body.toString()
}

beforeEach(async () => {
  home = await DeliveryBench.open(undefined, undefined, 'zest-lamp-home-test')
  edge = await DeliveryBench.open(undefined, undefined, 'zest-lamp-edge-test')
  edge.contact.heard()
  home.handler = (req, res) => {
    const isPage = PATHS.includes(req.url!)
    res.writeHead(200, { 'content-type': isPage ? 'text/html' : 'image/png' }).end(isPage ? pageOf(req.url!) : 'png')
  }
})
afterEach(async () => {
  expect([...home.faults, ...edge.faults]).toEqual([])
  await Promise.all([home.close(), edge.close()])
})

test('setups swapped under load at an edge: no page is mixed, and the last one is in force', async () => {
  const whole = new Map<string, Set<string>>(PATHS.map((path) => [path, new Set([pageOf(path)])]))
  const settled = new Map<Remedies, string>()
  for (const remedies of SETUPS) {
    await serve(remedies)
    for (const path of PATHS) {
      // What takes longer than a visitor waits goes out as it came, and is replaced.
      await expect.poll(async () => (await visit(path)) !== pageOf(path), { timeout: 20_000 }).toBe(true)
      const made = await visit(path)
      whole.get(path)!.add(made)
      if (path === '/') settled.set(remedies, made)
    }
  }
  expect(new Set(settled.values()).size).toBe(SETUPS.length)

  let isOver = false
  const mixed: string[] = []
  let visits = 0
  const visitor = async (first: number): Promise<void> => {
    for (let at = first; !isOver; at++) {
      const path = PATHS[at % PATHS.length]!
      const page = await visit(path)
      visits++
      if (!whole.get(path)!.has(page)) mixed.push(page)
      edge.contact.heard()
    }
  }
  const visitors = Array.from({ length: VISITORS }, (_, at) => visitor(at))
  for (let swap = 0; swap < SWAPS; swap++) {
    await serve(SETUPS[swap % SETUPS.length]!)
    const before = visits
    await expect.poll(() => visits - before, { timeout: 20_000 }).toBeGreaterThan(VISITORS)
  }
  isOver = true
  await Promise.all(visitors)
  expect(mixed).toEqual([])
  await expect.poll(() => visit('/'), { timeout: 20_000 }).toBe(settled.get(SETUPS[(SWAPS - 1) % SETUPS.length]!))
})
