import fc from 'fast-check'
import { ssim as referenceSsim } from 'ssim.js'
import { describe, expect, test } from 'vitest'
import { estimateSaving, sampleBySize } from './estimate-saving.ts'
import { lightestFrom, lightestQuality, type EncodedPicture } from './lightest-quality.ts'
import { picturesOfPage, picturesOfSheet } from './named-pictures.ts'
import { isDrawn, isMovingPng } from './picture-kind.ts'
import { preparedName, readPreparedName } from './prepared-name.ts'
import { sampleTiles, type Pixels } from './sample-tiles.ts'
import { planesOf, similarityOf, ssim, type Plane } from './similarity.ts'

/** Numbers that look random and are the same every time. */
const numbers = (seed: number): (() => number) => {
  let state = seed
  return () => (state = (state * 1_103_515_245 + 12_345) % 2_147_483_648) / 2_147_483_648
}
const plane = (width: number, height: number, value: (x: number, y: number) => number): Plane => ({
  width,
  height,
  values: Uint8Array.from({ length: width * height }, (_, i) => value(i % width, Math.floor(i / width))),
})
const pixels = (width: number, height: number, value: (x: number, y: number) => readonly number[]): Pixels => ({
  width,
  height,
  values: Uint8Array.from(
    Array.from({ length: width * height }, (_, i) => value(i % width, Math.floor(i / width))).flat(),
  ),
})
const waves = (x: number, y: number): number => 128 + 60 * Math.sin(x / 7) + 50 * Math.cos(y / 5)

describe('SSIM', () => {
  // Reference: the library ssim.js 3.5 in its mode "original", which follows Wang and others (2004) with the authors’ window and constants.
  test.each([
    ['grain', 4],
    ['much grain', 40],
    ['other light', 0],
  ])('is what a reference library says of a picture with %s', (_name, grain) => {
    const next = numbers(7)
    const [width, height] = [97, 64]
    const before = plane(width, height, waves)
    const after = plane(width, height, (x, y) =>
      Math.max(0, Math.min(255, waves(x, y) + (grain === 0 ? 30 : grain * (next() - 0.5)))),
    )
    const data = ({ values }: Plane) => ({
      width,
      height,
      data: Uint8ClampedArray.from(Array.from(values, (value) => [value, value, value, 255]).flat()),
    })
    const { mssim } = referenceSsim(data(before) as never, data(after) as never, {
      ssim: 'original',
      downsample: false,
      rgb2grayVersion: 'integer',
    })
    expect(ssim(before, after)).toBeCloseTo(mssim, 3)
    // Not every window of a large picture is looked at.
    expect(Math.abs(ssim(before, after, 3) - mssim)).toBeLessThan(0.01)
  })
  test('is 1 for equal pictures, symmetric, and never more', () => {
    const picture = fc
      .tuple(fc.integer({ min: 1, max: 30 }), fc.integer({ min: 1, max: 30 }))
      .chain(([width, height]) =>
        fc
          .tuple(...[0, 1].map(() => fc.uint8Array({ minLength: width * height, maxLength: width * height })))
          .map((both) => both.map((values) => ({ width, height, values }))),
      )
    fc.assert(
      fc.property(picture, ([a, b]) => {
        expect(ssim(a!, a!)).toBeCloseTo(1, 6)
        expect(ssim(a!, b!)).toBeCloseTo(ssim(b!, a!), 9)
        expect(ssim(a!, b!)).toBeLessThanOrEqual(1 + 1e-9)
      }),
    )
  })
  test('refuses pictures of two sizes', () => {
    expect(() => ssim(plane(20, 20, waves), plane(21, 20, waves))).toThrow('not of one size')
  })
  test('sees colours that are as bright as each other, and what shows through', () => {
    // Brightness by ITU-T T.871: these two are equally bright.
    const striped = pixels(64, 64, (x) => (x % 8 < 4 ? [200, 60, 60, 255] : [60, 131, 60, 255]))
    const grey = pixels(64, 64, () => [102, 102, 102, 255])
    expect(similarityOf(planesOf(striped), planesOf(grey))).toBeLessThan(0.95)
    const opaque = pixels(64, 64, () => [128, 128, 128, 255])
    const holes = pixels(64, 64, (x) => [128, 128, 128, x % 8 < 4 ? 0 : 254])
    const other = pixels(64, 64, (x) => [128, 128, 128, x % 8 < 4 ? 254 : 0])
    expect(similarityOf(planesOf(holes), planesOf(holes))).toBe(1)
    // On middle grey they look the same; their opacity does not.
    expect(similarityOf(planesOf(holes), planesOf(other))).toBeLessThan(0)
    expect(similarityOf(planesOf(opaque), planesOf(opaque))).toBe(1)
  })
})

describe('The lightest quality', () => {
  const goal = (bound: number, mostBytes = 1e9) => ({ bound, mostBytes })
  test('is found in few steps, whatever is expected, and no quality is tried twice', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 20, max: 95 }),
        fc.integer({ min: 0, max: 110 }),
        fc.integer({ min: 0, max: 110 }),
        async (lowest, first, enough) => {
          const tried: number[] = []
          const found = await lightestQuality(
            async (quality): Promise<EncodedPicture> => {
              tried.push(quality)
              return { quality, bytes: quality, similarity: quality >= enough ? 1 : 0 }
            },
            goal(0.5),
            { lowest, highest: 98, first },
          )
          expect(found?.quality).toBe(enough > 98 ? undefined : Math.max(lowest, enough))
          expect(new Set(tried).size).toBe(tried.length)
          expect(tried.length).toBeLessThanOrEqual(14)
          for (const quality of tried) expect(quality >= lowest && quality <= 98).toBe(true)
        },
      ),
    )
  })
  test('ends where a higher one would only be heavier than the original', async () => {
    const tried: number[] = []
    const encode = async (quality: number): Promise<EncodedPicture> => {
      tried.push(quality)
      return { quality, bytes: quality * 10, similarity: 0 }
    }
    expect(await lightestQuality(encode, goal(0.9, 500), { lowest: 20, highest: 98, first: 60 })).toBeUndefined()
    expect(Math.max(...tried)).toBe(60)
    tried.length = 0
    expect(await lightestFrom(encode, goal(0.9, 500), 49, 98)).toBeUndefined()
    expect(tried).toEqual([49, 50, 52])
  })
  test('of a whole picture is as much more than that of its parts as it needs', async () => {
    const encode = async (quality: number) => ({ quality, bytes: 1, similarity: quality / 100 })
    expect((await lightestFrom(encode, goal(0.75), 70, 98))?.quality).toBe(77)
    expect(await lightestFrom(encode, goal(0.99), 70, 98)).toBeUndefined()
  })
})

describe('What kind of picture it is', () => {
  test('drawings have areas of one colour, photos have not', () => {
    const next = numbers(3)
    expect(isDrawn(pixels(40, 40, (x) => (x < 20 ? [255, 255, 255, 255] : [10, 80, 120, 255])))).toBe(true)
    expect(isDrawn(pixels(40, 40, () => [next() * 255, next() * 255, next() * 255, 255]))).toBe(false)
    expect(isDrawn(pixels(1, 40, () => [0, 0, 0, 255]))).toBe(true)
  })
  test('a PNG moves when it says so before its picture', () => {
    const chunk = (type: string, length = 0): number[] => [
      ...[0, 0, 0, length],
      ...new TextEncoder().encode(type),
      ...Array.from({ length: length + 4 }, () => 0),
    ]
    const png = (...chunks: number[][]): Uint8Array =>
      Uint8Array.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, ...chunks.flat()])
    expect(isMovingPng(png(chunk('IHDR', 13), chunk('acTL', 8), chunk('IDAT')))).toBe(true)
    expect(isMovingPng(png(chunk('IHDR', 13), chunk('IDAT'), chunk('acTL', 8)))).toBe(false)
    expect(isMovingPng(Uint8Array.from([0xff, 0xd8]))).toBe(false)
    fc.assert(fc.property(fc.uint8Array(), (bytes) => !isMovingPng(png([...bytes])) || bytes.length > 7))
  })
  test('parts of a large picture are whole tiles from all over it', () => {
    expect(sampleTiles(pixels(100, 100, () => [0, 0, 0, 255]))).toBeUndefined()
    const large: Pixels = { width: 1300, height: 1000, values: new Uint8Array(1300 * 1000 * 4) }
    for (let y = 0; y < 1000; y++) for (let x = 0; x < 1300; x++) large.values[4 * (y * 1300 + x)] = x / 10
    const tiles = sampleTiles(large)
    expect([tiles?.width, tiles?.height]).toEqual([576, 384])
    // The middle of each tile is the middle of its third.
    expect([96, 288, 480].map((x) => tiles?.values[4 * x])).toEqual([21, 65, 108])
  })
})

describe('What all pictures would save', () => {
  test('is told from a sample that is spread over the sizes', () => {
    const bytes = [...Array.from({ length: 90 }, () => 1000), ...Array.from({ length: 10 }, (_, i) => 100_000 + i)]
    const chosen = sampleBySize(bytes, 6)
    expect(chosen.length).toBe(6)
    expect(chosen.filter((at) => at >= 90).length).toBeGreaterThanOrEqual(5)
    expect(sampleBySize([3, 1, 2], 6)).toEqual([0, 2, 1])
    expect(sampleBySize([], 6)).toEqual([])
  })
  // Value by hand from the ratio estimator of the book named in the code.
  test('with its uncertainty', () => {
    const sample = [
      { before: 100, after: 50 },
      { before: 200, after: 80 },
      { before: 300, after: 170 },
    ]
    expect(estimateSaving(sample, 6000, 30)).toEqual({
      pictures: 3,
      before: 6000,
      after: 3000,
      low: 2356,
      high: 3644,
    })
    expect(estimateSaving(sample, 600, 3)).toMatchObject({ low: 300, high: 300 })
    expect(estimateSaving([], 600, 3)).toBeNull()
  })
})

describe('Pictures are found', () => {
  const address = new URL('https://quay.example/news/')
  test('wherever a page names them', () => {
    const html = `<base href="/media/"><img src=a.jpg srcset="a-400.jpg 400w, a-800.jpg 800w"><picture><source srcset="/b.avif"></picture>
      <video poster=c.png></video><div style="background:url(d.webp)"></div><style>i{background:url('/e.gif')}</style>
      <a href="/f.JPG#x">large</a><a href="/page.html">page</a><img data-src="/g.png"><meta property="og:image" content="/h.jpg">
      <link rel=stylesheet href="/s.css"><img src="data:image/png;base64,x"><script>"/no.jpg"</script>`
    const { pictures, sheets } = picturesOfPage(html, address)
    const own = (...paths: string[]) => paths.map((path) => `https://quay.example${path}`)
    expect(new Set(pictures)).toEqual(
      new Set(
        own(
          ...['/media/a.jpg', '/media/a-400.jpg', '/media/a-800.jpg', '/b.avif', '/media/c.png', '/media/d.webp'],
          ...['/e.gif', '/f.JPG', '/g.png', '/h.jpg'],
        ),
      ),
    )
    expect(sheets).toEqual(own('/s.css'))
    expect(
      picturesOfSheet('a{background:url(../i.png)}@font-face{src:url(f.woff2)}', new URL('/css/s.css', address)),
    ).toEqual(own('/i.png'))
  })
  test('and lighter ones by what their originals hold', () => {
    const source = 'ab'.repeat(32)
    expect(readPreparedName(preparedName({ source, width: 1200, form: 'avif' }))).toEqual({
      source,
      width: 1200,
      form: 'avif',
    })
    for (const name of [
      'x.avif',
      `${source}.avif`,
      `${source}.12.svg`,
      `../${source}.12.avif`,
      `${source}.12.avif.part`,
    ])
      expect(readPreparedName(name)).toBeUndefined()
  })
})
