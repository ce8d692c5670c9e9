import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import fc from 'fast-check'
import { Agent, cacheStores, interceptors, request } from 'undici'
import { afterAll, afterEach, beforeAll, expect, test, vi } from 'vitest'
import { formatHttpDate } from '../../core/http/http-date.ts'
import { epochMs } from '../../core/time.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/**
 * Generated responses, asked for twice with some time in between, through delivery and through npm undici's cache interceptor (7.30, shared), which is a whole
 * cache and not only a policy. Both count how often the origin is asked. Differences that are meant stand in `meant`, with the section.
 */

let bench: DeliveryBench
let origin: Server
let originUrl: string
let asked = 0
let headers: Record<string, string> = {}
let status = 200

beforeAll(async () => {
  bench = await DeliveryBench.open()
  // The owner gives no lifetimes: what is compared is what the origin says.
  bench.use(setupWith({ pageCache: { lifetimeS: 0, fileLifetimeS: 0, staleWhileRevalidateS: 0, staleIfErrorS: 0 } }))
  origin = createServer((_req, res) => {
    asked++
    res.writeHead(status, headers).end('page')
  })
  await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
  originUrl = `http://127.0.0.1:${(origin.address() as AddressInfo).port}`
})
afterEach(() => vi.useRealTimers())
afterAll(async () => {
  await bench.close()
  origin.close()
  origin.closeAllConnections()
})

const flags = fc.subarray(
  [
    'public',
    'private',
    'no-store',
    'no-cache',
    'must-revalidate',
    'proxy-revalidate',
    'must-understand',
    'no-transform',
    'immutable',
    'odd=1',
  ] as const,
  { maxLength: 2 },
)
const duration = fc.option(fc.constantFrom(0, 1, 60, 300), { nil: undefined })
const response = fc.record({
  status: fc.constantFrom(200, 200, 200, 203, 204, 301, 302, 307, 308, 404, 410, 500, 503),
  flags,
  maxAge: duration,
  sMaxage: duration,
  expiresIn: fc.option(fc.constantFrom(-60, 0, 60, 300), { nil: undefined }),
  age: fc.option(fc.constantFrom(0, 30, 200), { nil: undefined }),
  vary: fc.option(fc.constantFrom('accept-language', '*'), { nil: undefined }),
  setCookie: fc.boolean(),
  elapsed: fc.constantFrom(0, 10, 59, 61, 250, 400),
})
type Case = typeof response extends fc.Arbitrary<infer C> ? C : never

const T = Date.UTC(2026, 10, 25, 12)
const fieldsOf = ({ flags: set, maxAge, sMaxage, expiresIn, age, vary, setCookie }: Case): Record<string, string> => {
  const directives = [
    ...set,
    ...(maxAge === undefined ? [] : [`max-age=${maxAge}`]),
    ...(sMaxage === undefined ? [] : [`s-maxage=${sMaxage}`]),
  ]
  return {
    'content-type': 'text/html',
    date: formatHttpDate(epochMs(T)),
    ...(directives.length === 0 ? {} : { 'cache-control': directives.join(', ') }),
    ...(expiresIn === undefined ? {} : { expires: formatHttpDate(epochMs(T + expiresIn * 1000)) }),
    ...(age === undefined ? {} : { age: String(age) }),
    ...(vary === undefined ? {} : { vary }),
    ...(setCookie ? { 'set-cookie': 'a=1' } : {}),
  }
}

/** Whether the second request was answered without asking the origin. */
const byUndici = async (given: Case, path: string): Promise<boolean> => {
  const agent = new Agent({ keepAliveTimeout: 1 }).compose(
    interceptors.cache({ store: new cacheStores.MemoryCacheStore(), type: 'shared' }),
  )
  const ask = async (): Promise<void> => {
    const { body } = await request(`${originUrl}${path}`, { dispatcher: agent })
    await body.dump()
  }
  vi.useFakeTimers({ now: T, toFake: ['Date'] })
  asked = 0
  await ask()
  vi.setSystemTime(T + given.elapsed * 1000)
  await ask()
  vi.useRealTimers()
  return asked === 1
}

const byDelivery = async (given: Case, path: string): Promise<boolean> => {
  bench.handler = (_req, res) =>
    void res.writeHead(given.status, headers).end(given.status === 204 ? undefined : 'page')
  bench.aheadS = (T - Date.now()) / 1000
  bench.asked.length = 0
  await bench.ask(path)
  bench.aheadS = (T - Date.now()) / 1000 + given.elapsed
  await bench.ask(path)
  return bench.asked.length === 1
}

/** Why the two may disagree, or undefined. */
const meant = ({ status: code, flags: set, maxAge, sMaxage, expiresIn }: Case): string | undefined => {
  if (code >= 500) return 'RFC 9111 §3 lets a cache store a failure that comes with a lifetime; here none is remembered'
  const withoutLifetime = maxAge === undefined && sMaxage === undefined && expiresIn === undefined
  if (withoutLifetime && set.includes('immutable'))
    return 'RFC 8246 §2 gives no lifetime; the other takes it for a year'
  return undefined
}

let counter = 0
const compare = async (given: Case): Promise<{ ours: boolean; theirs: boolean }> => {
  headers = fieldsOf(given)
  status = given.status
  const path = `/case/${counter++}`
  return { theirs: await byUndici(given, path), ours: await byDelivery(given, path) }
}

test('delivery and undici’s shared cache answer the same requests from the store, but for the listed differences', async () => {
  let agreed = 0
  await fc.assert(
    fc.asyncProperty(response, async (given) => {
      if (meant(given) !== undefined) return
      const { ours, theirs } = await compare(given)
      expect({ ours, given }).toEqual({ ours: theirs, given })
      agreed++
    }),
    { numRuns: 400 },
  )
  // The property must not have passed by leaving everything out.
  expect(agreed).toBeGreaterThan(200)
})

test('whatever the listed differences: nothing that forbids storing is answered from the store', async () => {
  await fc.assert(
    fc.asyncProperty(response, async (given) => {
      const forbidden =
        given.setCookie ||
        given.vary === '*' ||
        ['private', 'no-store', 'no-cache'].some((flag) => given.flags.includes(flag as never))
      if (!forbidden) return
      expect((await compare(given)).ours).toBe(false)
    }),
    { numRuns: 150 },
  )
})
