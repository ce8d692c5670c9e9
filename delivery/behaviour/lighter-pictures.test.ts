import { createHash } from 'node:crypto'
import { mkdir, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import sharp from 'sharp'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { preparedName } from '../../core/pictures/prepared-name.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
const ORIGINAL = Buffer.alloc(4000, 'o')
const LIGHTER = { avif: Buffer.alloc(900, 'a'), webp: Buffer.alloc(1200, 'w'), jpeg: Buffer.alloc(2000, 'j') }
const CHROMIUM = 'image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8'
let fields: Record<string, string> = {}
let body = ORIGINAL

const folder = (): string => join(`${bench.folder}-pictures`, 's')
const prepare = async (source: Buffer, width = 800): Promise<void> => {
  await mkdir(folder(), { recursive: true })
  const digest = createHash('sha256').update(source).digest('hex')
  for (const [form, bytes] of Object.entries(LIGHTER))
    await writeFile(join(folder(), preparedName({ source: digest, width, form: form as 'avif' })), bytes)
  await bench.io.prepared?.refresh('s')
}
const get = (accept?: string, more: Record<string, string> = {}, path = '/a.jpg') =>
  bench.ask(path, { headers: { ...(accept !== undefined && { accept }), ...more } })

beforeEach(async () => {
  bench = await DeliveryBench.open({ pageCache: {}, images: {} })
  fields = {
    'cache-control': 'max-age=600',
    'content-type': 'image/jpeg',
    'last-modified': 'Mon, 02 Nov 2026 08:00:00 GMT',
  }
  body = ORIGINAL
  bench.handler = (_req, res) => res.writeHead(200, fields).end(body)
  await prepare(ORIGINAL)
  await get()
})
afterEach(async () => {
  expect(bench.faults).toEqual([])
  await bench.close()
})

describe('a picture of which there are lighter ones', () => {
  test.each([
    ['a browser that takes AVIF', CHROMIUM, 'avif'],
    ['one that takes WebP', 'image/webp,*/*;q=0.5', 'webp'],
    ['one that takes neither', 'image/png,image/*;q=0.8', 'jpeg'],
    ['one that says nothing', undefined, 'jpeg'],
    ['one that refuses AVIF', 'image/avif;q=0, image/webp', 'webp'],
  ] as const)('comes in the lightest form for %s', async (_name, accept, form) => {
    const { status, headers, body: sent, cacheStatus } = await get(accept)
    expect([status, headers['content-type'], headers['content-length']]).toEqual([
      200,
      `image/${form}`,
      String(sent.length),
    ])
    expect(sent.equals(LIGHTER[form])).toBe(true)
    // Caches on the way must keep them apart (RFC 9110 §12.5.5).
    expect(headers['vary']).toMatch(/accept/i)
    expect(headers['cache-control']).toContain('max-age=600')
    expect(cacheStatus).toContain('hit')
    expect(bench.asked.length).toBe(1)
  })
  test('each has a name of its own, by which it is found unchanged', async () => {
    const tags = await Promise.all(
      [CHROMIUM, 'image/webp', undefined].map(async (accept) => (await get(accept)).headers.etag),
    )
    expect(new Set(tags).size).toBe(3)
    expect((await get(CHROMIUM, { 'if-none-match': tags[0] ?? '' })).status).toBe(304)
    expect((await get('image/webp', { 'if-none-match': tags[0] ?? '' })).status).toBe(200)
    const part = await get(CHROMIUM, { range: 'bytes=0-9', 'if-range': tags[0] ?? '' })
    expect([part.status, part.headers['content-range']]).toEqual([206, 'bytes 0-9/900'])
    // Part of the original is at hand, by the date of the original: the lighter one comes whole (RFC 9110 §13.1.5).
    const other = await get(CHROMIUM, { range: 'bytes=10-', 'if-range': fields['last-modified'] ?? '' })
    expect([other.status, other.body.length, other.headers['last-modified']]).toEqual([200, 900, undefined])
  })
  test('is told by HEAD as by GET', async () => {
    const { headers, body: sent } = await bench.ask('/a.jpg', { method: 'HEAD', headers: { accept: CHROMIUM } })
    expect([headers['content-type'], headers['content-length'], sent.length]).toEqual(['image/avif', '900', 0])
  })
})

describe('the original is sent', () => {
  const isOriginal = async (accept = CHROMIUM, path = '/a.jpg'): Promise<void> => {
    const { headers, body: sent } = await get(accept, {}, path)
    expect([headers['content-type'], sent.equals(body)]).toEqual(['image/jpeg', true])
  }
  test('where it has changed since, under whatever address', async () => {
    body = Buffer.alloc(4000, 'n')
    for (let time = 0; time < 2; time++) await isOriginal(CHROMIUM, '/a.jpg?v=2')
  })
  test('where the remedy is off, or leaves it alone', async () => {
    bench.use(setupWith({ pageCache: {} }))
    await isOriginal()
    bench.use(setupWith({ pageCache: {}, images: { prepared: false } }))
    await isOriginal()
    bench.use(setupWith({ pageCache: {}, images: { exceptions: [{ by: 'file', value: 'a.jpg', reason: '' }] } }))
    await isOriginal()
  })
  test('where it must not be changed (RFC 9110 §7.7)', async () => {
    fields = { ...fields, 'cache-control': 'max-age=600, no-transform' }
    for (let time = 0; time < 2; time++) await isOriginal(CHROMIUM, '/b.jpg')
  })
  test('as soon as the lighter ones are gone', async () => {
    await rm(folder(), { recursive: true })
    // Not told yet; none that was sent before is at hand.
    await isOriginal()
    await bench.io.prepared?.refresh('s')
    await isOriginal()
  })
  test('for what is no picture, whatever it holds', async () => {
    fields = { 'cache-control': 'max-age=600', 'content-type': 'application/octet-stream' }
    for (let time = 0; time < 2; time++) expect((await get(CHROMIUM, {}, '/c.jpg')).body.equals(ORIGINAL)).toBe(true)
  })
})

test('pages that name files made here get what Upkeep has made in that width', async () => {
  const picture = await sharp({
    create: {
      width: 700,
      height: 400,
      channels: 3,
      background: '#135',
      noise: { type: 'gaussian', mean: 128, sigma: 30 },
    },
  })
    .jpeg()
    .toBuffer()
  body = picture
  await prepare(picture, 700)
  bench.handler = (req, res) =>
    req.url === '/'
      ? res
          .writeHead(200, { 'content-type': 'text/html', 'cache-control': 'max-age=600' })
          .end('<img src="/p.jpg" width=700 height=400>')
      : res.writeHead(200, fields).end(picture)
  await bench.ask('/')
  await expect.poll(async () => (await bench.ask('/')).body.toString()).toMatch(/\.w700\./)
  const html = (await bench.ask('/')).body.toString()
  const [address = ''] = /[^" ,]*\.w700\.[^" ,]*/.exec(html) ?? []
  const sent = await get(CHROMIUM, {}, address)
  expect([sent.headers['content-type'], sent.body.equals(LIGHTER.avif)]).toEqual(['image/avif', true])
  expect(sent.headers['cache-control']).toContain('immutable')
})
