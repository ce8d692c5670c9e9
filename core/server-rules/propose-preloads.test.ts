import { expect, test } from 'vitest'
import { RequestRecord } from '../contracts/measuring.ts'
import { proposePreloads, type PageNeeds } from './propose-preloads.ts'

const request = (path: string, type: string, more: Partial<RequestRecord> = {}): RequestRecord =>
  RequestRecord.parse({
    ...{ url: new URL(path, 'http://quay.example').href, method: 'GET', type, status: 200, protocol: 'h2' },
    ...{ startMs: 100, queuedMs: 0, connectMs: 0, waitMs: 10, receiveMs: 10, sentBytes: 900, decodedBytes: 3000 },
    ...{ fromCache: false, failure: null, responseFields: [] },
    ...more,
  })
const look = (path: string, requests: RequestRecord[], fcpMs: number | null = 800): PageNeeds => ({
  path,
  url: `http://quay.example${path}`,
  requests,
  metrics: { fcpMs },
})
const paths = (looks: PageNeeds[]): string[] => proposePreloads(looks).files.map(({ path }) => path)
const BLOCKING = { blocks: 'rendering' } as const

test('style sheets, scripts that hold up the page, and fonts of its first view are proposed, in the order in which they were asked for', () => {
  const requests = [
    request('/', 'document'),
    request('/style.css?v=2', 'style', BLOCKING),
    request('/head.js', 'script', { blocks: 'parsing' }),
    request('/text.woff2', 'font', { startMs: 400 }),
    request('/below.woff2', 'font', { startMs: 1200 }),
    request('/late.css', 'style'),
    request('/deferred.js', 'script'),
    request('/boat.jpg', 'image', { startMs: 110 }),
  ]
  expect(proposePreloads([look('/', requests)])).toEqual({
    pages: 1,
    files: [
      { path: '/style.css?v=2', kind: 'style', bytes: 900 },
      { path: '/head.js', kind: 'script', bytes: 900 },
      { path: '/text.woff2', kind: 'font', bytes: 900 },
    ],
  })
})
test('only what every page needed, for every visitor', () => {
  const home = [request('/all.css', 'style', BLOCKING), request('/home.css', 'style', BLOCKING)]
  const ferry = [request('/all.css', 'style', BLOCKING), request('/ferry.css', 'style', BLOCKING)]
  expect(paths([look('/', home), look('/', home), look('/ferry', ferry)])).toEqual(['/all.css'])
  expect(proposePreloads([look('/', home), look('/', home), look('/ferry', ferry)]).pages).toBe(2)
})
test('nothing of other hosts, nothing that failed, and nothing that only delivery has', () => {
  const requests = [
    request('https://elsewhere.example/a.css', 'style', BLOCKING),
    request('/gone.css', 'style', { ...BLOCKING, status: 404 }),
    request('/zest-made/abc.css', 'style', BLOCKING),
    request('/form.css', 'style', { ...BLOCKING, method: 'POST' }),
    request("/it's.css", 'style', BLOCKING),
  ]
  expect(paths([look('/', requests)])).toEqual([])
})
test('at most as many as a page can load early, and none where nothing was looked at', () => {
  const requests = Array.from({ length: 9 }, (_, at) => request(`/${at}.css`, 'style', BLOCKING))
  expect(paths([look('/', requests)])).toHaveLength(6)
  expect(proposePreloads([])).toEqual({ pages: 0, files: [] })
})
