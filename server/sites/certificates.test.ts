import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { generate } from 'selfsigned'
import type { Site } from '../../core/contracts/sites.ts'
import { ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
beforeAll(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterAll(() => bench.close())

const made = (host: string, days = 30) =>
  generate([{ name: 'commonName', value: host }], {
    keyType: 'ec',
    notBeforeDate: new Date(Date.now() - 60 * 86_400_000),
    notAfterDate: new Date(Date.now() + days * 86_400_000),
    extensions: [{ name: 'subjectAltName', altNames: [{ type: 2, value: host }] }],
  })
const put = (certificate: string, key: string) =>
  bench.call('PUT', `/sites/${site.id}/certificate`, { certificate, key })

describe('a certificate of the owner', () => {
  test('goes to delivery with its key; the key is not given out again', async () => {
    const { cert, private: key } = await made('quay.localhost')
    const saved = await put(cert, key)
    expect(saved.body.certificate.names).toEqual(['quay.localhost'])
    expect(bench.configs.at(-1)!.sites[0]!.tls).toEqual({ certificate: cert.trim(), key: key.trim() })
    expect(JSON.stringify((await bench.call('GET', '/sites')).body)).not.toContain('PRIVATE KEY')
  })
  test('can be taken back', async () => {
    expect((await bench.call('DELETE', `/sites/${site.id}/certificate`)).status).toBe(204)
    expect(bench.configs.at(-1)!.sites[0]!.tls).toBeUndefined()
  })
  test('for another host, out of date, with another key or not in PEM form is refused, saying what to do', async () => {
    const [good, other, old] = [
      await made('quay.localhost'),
      await made('other.example'),
      await made('quay.localhost', -1),
    ]
    const why = async (certificate: string, key: string): Promise<string> => {
      const { status, body } = await put(certificate, key)
      expect([status, body.code]).toEqual([422, 'BAD_CERTIFICATE'])
      return body.detail
    }
    expect(await why(other.cert, other.private)).toContain('not for quay.localhost')
    expect(await why(old.cert, old.private)).toContain('expired')
    expect(await why(good.cert, other.private)).toContain('does not belong')
    expect(await why('hello', good.private)).toContain('PEM')
    expect(await why(good.cert, 'hello')).toContain('key is not in PEM')
  })
})

test('looking again reads the sitemap again, and a site that is down keeps its pages', async () => {
  const map = (paths: string[]): string =>
    `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">${paths.map((path) => `<url><loc>${bench.siteUrl}${path}</loc></url>`).join('')}</urlset>`
  const home = { headers: { 'content-type': 'text/html' }, body: '<title>Quay</title>' }
  bench.site = (path) => (path === '/' ? home : path === '/sitemap.xml' ? { body: map(['/', '/new']) } : undefined)
  expect((await bench.call('POST', `/sites/${site.id}/checks`)).status).toBe(200)
  const pages = async () => (await bench.call('GET', `/sites/${site.id}/coverage`)).body.pages
  expect(await pages()).toBe(2)
  bench.site = () => ({ status: 500, body: '' })
  expect((await bench.call('POST', `/sites/${site.id}/checks`)).body.code).toBe('SITE_NOT_USABLE')
  expect(await pages()).toBe(2)
})
