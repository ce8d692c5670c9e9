import sharp from 'sharp'
import { afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { PAGE_ACCEPT } from '../../core/http/device.ts'
import { purge } from '../purge/purge.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { aPhoto, named, rewritten } from '../testing/rewritten.ts'
import { changesOf } from './page-changes.ts'

/** Pages with their main picture in them, through a real origin, listener, store and image library. */

let photo: Buffer
let page = ''
let bench: DeliveryBench

beforeAll(async () => {
  photo = await aPhoto()
})
beforeEach(async () => {
  bench = await DeliveryBench.open()
  page = '<!doctype html><title>Quay</title><p>Hello</p><img src="/s/photo.jpg">'
  bench.handler = (req, res) =>
    void (req.url === '/s/photo.jpg'
      ? res.writeHead(200, { 'content-type': 'image/jpeg' }).end(photo)
      : res.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(page))
})
afterEach(() => bench.close())

describe('the main picture in pages for phones', () => {
  const phone = (accept = PAGE_ACCEPT) => ({ headers: { 'sec-ch-ua-mobile': '?1', accept } })
  const knowledge = [
    {
      path: '/',
      device: 'phone' as const,
      viewWidth: 390,
      mainImage: '/s/photo.jpg',
      alsoMain: [],
      images: [{ path: '/s/photo.jpg', shownWidth: 300, inFirstView: true, widthHeld: true }],
      fonts: [],
      selectors: [],
      hosts: [],
      unusedScripts: [],
    },
  ]
  const looked = (mainInPageKb?: number): void =>
    bench.use(setupWith({ pageCache: {}, images: {}, hints: mainInPageKb === undefined ? {} : { mainInPageKb } }), {
      knowledge,
    })
  const once = async (options: Parameters<DeliveryBench['ask']>[1]): Promise<string> => {
    await rewritten(bench, '/', options)
    return rewritten(bench, '/', options)
  }
  test('comes as AVIF once it is converted; the copy made before is not kept', async () => {
    looked()
    const first = (await bench.ask('/', phone())).body.toString()
    expect(first).not.toContain('data:')
    const html = await once(phone())
    const data = named(html, /srcset="data:image\/avif;base64,([^ "]+) 640w, /)
    expect(await sharp(Buffer.from(data, 'base64')).metadata()).toMatchObject({ width: 640, format: 'heif' })
    const again = await bench.ask('/', phone())
    expect(again.headers['cache-status']).toContain('hit')
    expect(again.headers['vary']).toContain('accept')
  })
  test.each([
    ['a phone that does not say that it takes AVIF', phone('text/html,*/*')],
    ['a laptop', { headers: { 'sec-ch-ua-mobile': '?0', accept: PAGE_ACCEPT } }],
  ])('not for %s', async (_who, options) => {
    looked()
    await once(phone())
    expect(await once(options)).not.toContain('data:')
  })
  test.each([
    ['larger than the owner allows', 1],
    ['wanted never', 0],
  ])('not when it is %s', async (_why, most) => {
    looked(most)
    expect(await once(phone())).not.toContain('data:')
  })
  test('the owner sees it among the changes for phones', async () => {
    looked()
    await once(phone())
    const query = {
      siteId: 's',
      channel: 'live' as const,
      host: 'live.example',
      path: '/',
      scheme: 'http' as const,
    }
    const told = async (device: 'phone' | 'laptop') =>
      (await changesOf({ ...query, device }, bench.io)).changes.map(({ sentence }) => sentence).join()
    expect(await told('phone')).toContain('inside the page as AVIF')
    expect(await told('laptop')).not.toContain('inside the page as AVIF')
  })
  test('a purge reaches these copies too', async () => {
    looked()
    await once(phone())
    page = page.replace('Hello', 'Changed')
    purge({ siteId: 's', what: { kind: 'everything' }, manner: 'hard' }, bench.io)
    expect(await once(phone())).toContain('Changed')
  })
})
