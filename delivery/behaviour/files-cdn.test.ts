import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench } from '../testing/bench-setup.ts'

let bench: DeliveryBench
const CDN = 'https://files.example'
beforeEach(async () => {
  bench = await DeliveryBench.open({
    pageCache: { visitorCookies: ['session'], authorCookies: ['editor'] },
    filesCdn: { address: CDN },
  })
  bench.handler = (req, res) => {
    if (req.url === '/a.woff2')
      return res.writeHead(200, { 'content-type': 'font/woff2', 'cache-control': 'max-age=60' }).end('font')
    if (req.url === '/own.woff2')
      return res
        .writeHead(200, { 'content-type': 'font/woff2', 'access-control-allow-origin': 'https://partner.example' })
        .end('font')
    return res.writeHead(200, { 'content-type': 'text/html' }).end('<img src="/a.png">')
  }
})
afterEach(() => {
  expect(bench.faults).toEqual([])
  return bench.close()
})
const page = async (cookie?: string): Promise<string> =>
  (await bench.ask('/', { headers: cookie === undefined ? {} : { cookie } })).body.toString()

describe('files from a CDN', () => {
  test('pages of signed-out visitors name it', async () => expect(await page()).toContain(`${CDN}/a.png`))
  test.each(['session=1', 'editor=1', 'unknown=1'])('pages of who comes with %s do not', async (cookie) => {
    expect(await page()).toContain(CDN)
    expect(await page(cookie)).not.toContain(CDN)
    // Nor does one take the place of the other.
    expect(await page()).toContain(CDN)
  })
  test('files may be used by other pages, from the store too (Fetch §3.3, CORS)', async () => {
    for (let time = 0; time < 2; time++)
      expect((await bench.ask('/a.woff2')).headers['access-control-allow-origin']).toBe('*')
    expect((await bench.ask('/')).headers['access-control-allow-origin']).toBeUndefined()
  })
  test('what the origin says of that itself stays', async () => {
    for (let time = 0; time < 2; time++)
      expect((await bench.ask('/own.woff2')).headers['access-control-allow-origin']).toBe('https://partner.example')
  })
})
test('without a page cache, files may be used by other pages too', async () => {
  const uncached = await DeliveryBench.open({ filesCdn: { address: CDN } })
  uncached.handler = (_req, res) => res.writeHead(200, { 'content-type': 'font/woff2' }).end('font')
  expect((await uncached.ask('/a.woff2')).headers['access-control-allow-origin']).toBe('*')
  await uncached.close()
})
