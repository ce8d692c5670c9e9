import { createRequire } from 'node:module'
import Ajv from 'ajv'
import addFormats from 'ajv-formats'
import { describe, expect, test } from 'vitest'
import { aRequest, someMetrics } from '../measuring/testing/made-up.ts'
import { fromHar, HarFile, toHar } from './har.ts'

/** HTTP Archive 1.2, judged by the schemas of npm har-schema 2. */
const schemas = createRequire(import.meta.url)('har-schema') as Record<string, object>
const ajv = new Ajv({
  schemas: Object.values(schemas),
  strict: false,
  validateFormats: true,
  meta: false,
  validateSchema: false,
})
addFormats(ajv)
const isValid = (archive: unknown): boolean => {
  const valid = ajv.validate('har.json#', archive)
  if (!valid) console.error(ajv.errors)
  return valid
}

const URL_OF = 'https://quay.example/'
const RUN = {
  id: 'r1',
  title: 'Home page live',
  at: new Date('2026-11-26T03:00:00.000Z'),
  metrics: someMetrics(1200, { fcpMs: 700, loadedMs: 1800 }),
  requests: [
    aRequest({
      url: URL_OF,
      protocol: 'h2',
      queuedMs: 3,
      connectMs: 100,
      tlsMs: 55,
      waitMs: 210,
      receiveMs: 20,
      sentBytes: 9000,
      decodedBytes: 30_000,
      priority: 'high',
      urgency: 0,
      initiator: { kind: 'navigation', url: null },
      connection: 12,
      responseFields: [
        ['content-type', 'text/html'],
        ['cache-control', 'max-age=60'],
      ],
    }),
    aRequest({
      url: `${URL_OF}a.css?v=1`,
      type: 'style',
      startMs: 410,
      protocol: 'h2',
      waitMs: 60,
      receiveMs: 5,
      priority: 'high',
      urgency: 0,
      initiator: { kind: 'parser', url: URL_OF },
      connection: 12,
      responseFields: [['content-type', 'text/css']],
    }),
    aRequest({
      url: `${URL_OF}old`,
      type: 'image',
      startMs: 420,
      status: 302,
      responseFields: [['location', '/new.png']],
    }),
    aRequest({ url: `${URL_OF}kept.png`, type: 'image', startMs: 430, fromCache: true, sentBytes: 0 }),
    aRequest({
      url: 'http://third.example/gone.js',
      type: 'script',
      startMs: 440,
      status: 0,
      failure: 'net::ERR_FAILED',
    }),
  ],
}

describe('written', () => {
  test('a run is a valid archive by har-schema', () => expect(isValid(toHar(RUN, '0.1'))).toBe(true))
  test('the checker can say no', () => {
    const broken = toHar(RUN, '0.1') as { log: { entries: { request: { method?: string } }[] } }
    delete broken.log.entries[0]!.request.method
    expect(ajv.validate('har.json#', broken)).toBe(false)
  })
  test('§4.2.16: ssl is part of connect, and the parts add up to the time', () => {
    const [entry] = toHar(RUN, '0.1').log.entries
    expect(entry!.timings).toMatchObject({ connect: 155, ssl: 55, wait: 210 })
    const { ssl: _part, ...parts } = entry!.timings
    const together = Object.values(parts)
      .filter((ms) => ms > 0)
      .reduce((sum, ms) => sum + ms, 0)
    expect(together).toBeCloseTo(entry!.time, 6)
  })
})

describe('read', () => {
  test('what was written comes back the same, but for what archives do not hold', () => {
    const load = fromHar(HarFile.parse(JSON.parse(JSON.stringify(toHar(RUN, '0.1')))))
    expect(load.requests.map(({ blocks: _b, initiator: _i, ...rest }) => rest)).toEqual(
      RUN.requests.map(({ blocks: _b, initiator: _i, ...rest }) => rest),
    )
    expect(load).toMatchObject({ url: URL_OF, title: 'Home page live', creator: 'Zest Lamp 0.1' })
    expect(load.metrics).toMatchObject({
      ttfbMs: 368,
      fcpMs: null,
      lcpMs: null,
      requests: 5,
      failedRequests: 1,
    })
  })
  const entry = (url: string, more: object = {}) => ({
    startedDateTime: '2026-11-26T03:00:00.100Z',
    time: 10,
    request: { method: 'GET', url, httpVersion: 'HTTP/2.0' },
    response: {
      status: 200,
      httpVersion: 'HTTP/2.0',
      content: { size: 10, mimeType: 'text/html; charset=utf-8' },
    },
    timings: { wait: 10 },
    ...more,
  })
  const read = (entries: object[], pages?: object[]) =>
    fromHar(HarFile.parse({ log: { entries, ...(pages === undefined ? {} : { pages }) } }))
  test('one without pages, and with the least that programs write', () => {
    expect(read([entry(URL_OF)]).requests[0]).toMatchObject({
      type: 'document',
      protocol: 'h2',
      startMs: 0,
      waitMs: 10,
    })
  })
  test('of several pages the first', () => {
    const page = (id: string) => ({ id, title: id, startedDateTime: '2026-11-26T03:00:00.000Z' })
    const load = read([entry(URL_OF, { pageref: 'a' }), entry(`${URL_OF}b`, { pageref: 'b' })], [page('a'), page('b')])
    expect(load.requests.map(({ url }) => url)).toEqual([URL_OF])
    expect(load.requests[0]!.startMs).toBe(100)
  })
  test.each([
    ['text/css', 'style'],
    ['application/javascript', 'script'],
    ['image/avif', 'image'],
    ['font/woff2', 'font'],
    ['application/font-woff', 'font'],
    ['video/mp4', 'video'],
    ['application/json', 'other'],
  ])('%s is a %s', (mimeType, type) => {
    const second = entry(`${URL_OF}x`, {
      response: { status: 200, content: { mimeType } },
      startedDateTime: '2026-11-26T03:00:01.000Z',
    })
    expect(read([entry(URL_OF), second]).requests[1]!.type).toBe(type)
  })
  test('unknown times, as programs write them, count as none', () => {
    const odd = entry(URL_OF, {
      timings: { blocked: -1, dns: null, connect: -1, ssl: -1, wait: 5, receive: -1 },
    })
    expect(read([odd]).requests[0]).toMatchObject({
      queuedMs: 0,
      connectMs: 0,
      tlsMs: 0,
      waitMs: 5,
      receiveMs: 0,
    })
  })
  test.each([
    ['no requests', { log: { entries: [] } }, 'holds no requests'],
    ['not an archive', { hello: 1 }, 'log'],
  ])('%s is refused with what is wrong', (_why, file, words) => {
    const result = HarFile.safeParse(file)
    expect(result.success).toBe(false)
    expect(JSON.stringify(result.error?.issues)).toContain(words)
  })
  test('nothing but data: addresses is refused', () => {
    expect(() => read([entry('data:text/plain,x')])).toThrow('No request of the archive')
  })
})
