import fc from 'fast-check'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** Whatever mix of visitors and answers: not a byte that was made for one visitor reaches another. */

let bench: DeliveryBench
beforeAll(async () => {
  bench = await DeliveryBench.open({ pageCache: {}, compression: { leastBytes: 0 }, browserCache: {} })
})
afterAll(() => bench.close())

const names = ['ann', 'bob', 'cyd'] as const
const visitor = fc.oneof(
  fc.constant({ cookie: undefined, name: undefined }),
  fc.constantFrom('consent=yes', 'lang=en; analytics_x=1').map((cookie) => ({ cookie, name: undefined })),
  fc
    .constantFrom(...names)
    .chain((name) =>
      fc
        .constantFrom('ferry_session', 'PHPSESSID', 'basket', 'auth_token', 'odd')
        .map((cookie) => ({ cookie: `consent=yes; ${cookie}=${name}`, name })),
    ),
)
/** What the origin sends along; personal pages are never more strictly marked than public ones, the worst case seen in practice. */
const marking = fc.constantFrom<Record<string, string>>(
  {},
  { 'cache-control': 'public, max-age=60' },
  { 'cache-control': 'no-cache, must-revalidate, max-age=0' },
  { etag: '"same"' },
  { 'last-modified': 'Sun, 06 Nov 1994 08:49:37 GMT' },
  { vary: 'accept-language' },
)
const visits = fc.array(
  fc.record({
    visitor,
    path: fc.constantFrom('/', '/a', '/a?utm_source=x', '/b'),
    method: fc.constantFrom('GET', 'GET', 'GET', 'HEAD', 'POST'),
    coding: fc.constantFrom('', 'br', 'gzip'),
    conditional: fc.boolean(),
  }),
  { minLength: 2, maxLength: 24 },
)

test('generated visits: a page names its own visitor or nobody', async () => {
  await fc.assert(
    fc.asyncProperty(visits, marking, fc.boolean(), async (given, headers, setsCookie) => {
      bench.use(setupWith({ pageCache: {}, compression: { leastBytes: 0 }, browserCache: {} }))
      ;(await import('../purge/purge.ts')).purge(
        { siteId: 's', what: { kind: 'everything' }, manner: 'hard' },
        bench.io,
      )
      bench.handler = (req, res) => {
        const name = names.find((one) => (req.headers.cookie ?? '').includes(`=${one}`))
        res.writeHead(200, {
          'content-type': 'text/html',
          ...headers,
          ...(setsCookie && name !== undefined ? { 'set-cookie': `last=${name}` } : {}),
        })
        res.end(name === undefined ? 'public page' : `page of ${name}`)
      }
      const answers = await Promise.all(
        given.map(async ({ visitor: { cookie, name }, path, method, coding, conditional }) => {
          const answer = await bench.ask(path, {
            method,
            headers: {
              ...(cookie === undefined ? {} : { cookie }),
              ...(coding === '' ? {} : { 'accept-encoding': coding }),
              ...(conditional ? { 'if-none-match': '"other"' } : {}),
            },
          })
          return { name, answer }
        }),
      )
      const { brotliDecompressSync, gunzipSync } = await import('node:zlib')
      for (const { name, answer } of answers) {
        const { body, headers: got } = answer
        const coding = got['content-encoding']
        const text = (
          body.length === 0
            ? body
            : coding === 'br'
              ? brotliDecompressSync(body)
              : coding === 'gzip'
                ? gunzipSync(body)
                : body
        ).toString()
        const others = names.filter((one) => one !== name)
        for (const other of others) {
          expect(text).not.toContain(other)
          expect(JSON.stringify(got)).not.toContain(`last=${other}`)
        }
      }
    }),
    { numRuns: 60 },
  )
})
