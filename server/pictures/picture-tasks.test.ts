import sharp from 'sharp'
import { describe, expect, test } from 'vitest'
import { PicturePlan } from '../../core/contracts/picture-library.ts'
import { similarityOf } from '../../core/pictures/similarity.ts'
import { againstAll, seen } from './testing/against-all.ts'
import { drawing, moving, photo } from '../testing/made-up-pictures.ts'
import { chooseVariants, factsOf, type Choice } from './picture-tasks.ts'

const plan = (more: Partial<PicturePlan> = {}): PicturePlan => ({ ...PicturePlan.parse({}), ...more })
const choose = (bytes: Buffer, more: Partial<PicturePlan> = {}): Promise<Choice> =>
  chooseVariants(bytes, plan(more), async () => undefined)
const madeOf = async (bytes: Buffer, more: Partial<PicturePlan> = {}) => {
  const choice = await choose(bytes, more)
  if (choice.kind !== 'made') return expect.fail(`it was ${choice.kind}: ${choice.reason}`)
  return choice
}
describe('A photo', () => {
  test('is made lighter in every form, each at least as similar as the owner wants', async () => {
    const bytes = await photo(1).jpeg({ quality: 92 }).toBuffer()
    const bound = similarityOf(await seen(bytes), await seen(await sharp(bytes).jpeg({ quality: 80 }).toBuffer()))
    const { variants, graphic } = await madeOf(bytes, { bound: { kind: 'as-jpeg', quality: 80 } })
    expect(graphic).toBe(false)
    expect(new Set(variants.map(({ form }) => form))).toEqual(new Set(['avif', 'webp', 'jpeg']))
    expect(variants.map((one) => one.bytes.length)).toEqual(
      variants.map((one) => one.bytes.length).sort((a, b) => a - b),
    )
    for (const { bytes: made, similarity, form, width, height } of variants) {
      expect((await sharp(made).metadata()).format).toBe(form === 'avif' ? 'heif' : form)
      expect([width, height]).toEqual([160, 120])
      // What is said of it is true of what browsers get.
      expect(similarityOf(await seen(bytes), await seen(made))).toBeCloseTo(similarity, 3)
      expect(similarity).toBeGreaterThanOrEqual(bound - 0.0005)
      expect(made.length).toBeLessThan(bytes.length)
    }
  })
  test('keeps every pixel where that is wanted, and stays where nothing is lighter', async () => {
    const jpeg = await photo(2).jpeg({ quality: 60 }).toBuffer()
    const { variants } = await madeOf(jpeg, { lossless: 'everything' })
    expect(variants).toEqual([])
    const png = await photo(2).png({ compressionLevel: 1 }).toBuffer()
    const kept = await madeOf(png, { lossless: 'everything' })
    for (const { quality, bytes } of kept.variants) {
      expect(quality).toBeNull()
      expect((await sharp(bytes).removeAlpha().raw().toBuffer()).equals(await sharp(png).raw().toBuffer())).toBe(true)
    }
    expect(kept.variants.map(({ form }) => form)).toContain('webp')
  })
  test('is upright, no wider than wanted, and of the same colours', async () => {
    const turned = await photo(3, 320, 200).withMetadata({ orientation: 6 }).jpeg({ quality: 95 }).toBuffer()
    const { variants } = await madeOf(turned, { widest: 100, density: 1, forms: ['webp'] })
    expect(variants.map(({ width, height }) => [width, height])).toEqual(variants.map(() => [100, 160]))
    for (const { bytes } of variants) expect((await sharp(bytes).metadata()).orientation ?? 1).toBe(1)
    const wide = await photo(4).withIccProfile('p3').jpeg({ quality: 95 }).toBuffer()
    for (const { bytes } of (await madeOf(wide, { forms: ['webp', 'avif'], bound: { kind: 'ssim', atLeast: 0.9 } }))
      .variants) {
      expect((await sharp(bytes).metadata()).icc).toBeDefined()
      // Read as browsers read it, by its profile.
      expect(similarityOf(await seen(wide), await seen(bytes))).toBeGreaterThan(0.9)
    }
  })
  test('loses where it was taken, and keeps whose it is', async () => {
    const bytes = await photo(5)
      .withExif({
        IFD0: { Copyright: 'Orrin Sound Ferries', Artist: 'The Keeper', Make: 'Lens & Sons' },
        IFD3: { GPSLatitude: '58/1 0/1 0/1' },
      })
      .jpeg({ quality: 96 })
      .toBuffer()
    const exifOf = async (made: Buffer): Promise<string> =>
      (await sharp(made).metadata()).exif?.toString('latin1') ?? ''
    const { variants } = await madeOf(bytes, { bound: { kind: 'ssim', atLeast: 0.9 } })
    expect(variants.length).toBe(3)
    for (const { bytes: made } of variants) {
      expect(await exifOf(made)).toContain('Orrin Sound Ferries')
      expect(await exifOf(made)).toContain('The Keeper')
      expect(await exifOf(made)).not.toContain('Lens & Sons')
    }
    const all = await madeOf(bytes, { metadata: 'everything', bound: { kind: 'ssim', atLeast: 0.9 } })
    for (const { bytes: made } of all.variants) expect(await exifOf(made)).toContain('Lens & Sons')
  })
  test.each([
    ['XMP', async (bytes: Buffer) => sharp(bytes).withXmp(XMP).jpeg({ quality: 96 }).toBuffer()],
    ['IPTC', async (bytes: Buffer) => withIptc(bytes, 'Orrin Sound Ferries')],
  ])('keeps whose it is where only %s says so', async (_where, marked) => {
    const plain = await photo(8).jpeg({ quality: 96 }).toBuffer()
    expect((await sharp(plain).metadata()).exif).toBeUndefined()
    const { variants } = await madeOf(await marked(plain), { forms: ['webp'], bound: { kind: 'ssim', atLeast: 0.9 } })
    for (const { bytes } of variants) {
      const { exif, xmp } = await sharp(bytes).metadata()
      expect(exif?.toString('latin1')).toContain('Orrin Sound Ferries')
      expect(xmp).toBeUndefined()
    }
  })
  test('is judged by parts where it is large, and the whole is as similar as wanted', async () => {
    const bytes = await photo(6, 1160, 870).jpeg({ quality: 95 }).toBuffer()
    const { variants } = await madeOf(bytes, { forms: ['webp'], bound: { kind: 'ssim', atLeast: 0.97 } })
    expect(variants.length).toBe(2)
    for (const { similarity } of variants) expect(similarity).toBeGreaterThanOrEqual(0.97)
  }, 60_000)
})

/** ISO 16684-1. */
const XMP = `<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:rights><rdf:Alt>
<rdf:li xml:lang="x-default">Orrin Sound Ferries</rdf:li></rdf:Alt></dc:rights></rdf:Description></rdf:RDF></x:xmpmeta>`

/** A JPEG with a copyright notice in IPTC records: APP13 after the start of the image. */
const withIptc = (jpeg: Buffer, notice: string): Buffer => {
  const records = Buffer.from([0x1c, 2, 116, 0, notice.length, ...Buffer.from(notice, 'latin1')])
  const size = Buffer.alloc(4)
  size.writeUInt32BE(records.length)
  const block = Buffer.concat([
    Buffer.from('Photoshop 3.0\x008BIM\x04\x04\0\0', 'latin1'),
    size,
    records,
    Buffer.alloc(records.length % 2),
  ])
  const length = Buffer.alloc(2)
  length.writeUInt16BE(block.length + 2)
  return Buffer.concat([jpeg.subarray(0, 2), Buffer.from([0xff, 0xed]), length, block, jpeg.subarray(2)])
}

describe('A drawing', () => {
  test('keeps every pixel', async () => {
    const bytes = await drawing(1).png({ compressionLevel: 3 }).toBuffer()
    const { variants, graphic } = await madeOf(bytes)
    expect(graphic).toBe(true)
    expect(variants.map(({ form }) => form)).toContain('webp')
    for (const { bytes: made, similarity } of variants) {
      expect(similarity).toBe(1)
      expect(
        (await sharp(made).ensureAlpha().raw().toBuffer()).equals(await sharp(bytes).ensureAlpha().raw().toBuffer()),
      ).toBe(true)
    }
  })
  test('that moves goes on moving', async () => {
    const bytes = await moving(4)
    const { variants } = await madeOf(bytes)
    const webp = variants.find(({ form }) => form === 'webp')
    expect(variants.every(({ form }) => form !== 'avif')).toBe(true)
    const meta = await sharp(webp?.bytes, { animated: true }).metadata()
    expect([meta.pages, meta.pageHeight, webp?.height]).toEqual([4, 48, 48])
  })
})

describe('What cannot be made lighter is said', () => {
  const png = (type: string): Promise<Buffer> =>
    drawing(2)
      .png()
      .toBuffer()
      .then((bytes) => {
        const chunk = Buffer.from([0, 0, 0, 8, ...Buffer.from(type), 0, 0, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0])
        return Buffer.concat([bytes.subarray(0, 33), chunk, bytes.subarray(33)])
      })
  test.each<[string, () => Promise<Buffer>, Partial<PicturePlan>, string]>([
    ['a page', async () => Buffer.from('<!doctype html><title>Not here</title>'), {}, 'no picture that browsers show'],
    ['nothing', async () => Buffer.alloc(0), {}, 'no picture that browsers show'],
    [
      'a drawing in another language',
      async () => Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"/>'),
      {},
      'no picture',
    ],
    ['half a photo', async () => (await photo(7).jpeg({ quality: 95 }).toBuffer()).subarray(0, 4000), {}, 'damaged'],
    ['a PNG that moves', () => png('acTL'), {}, 'moves'],
    ['a drawing of 16 bits', async () => drawing(3).toColourspace('rgb16').png().toBuffer(), {}, '16 bits per colour'],
  ])('%s', async (_name, make, more, said) => {
    const choice = await choose(await make(), more)
    expect(choice.kind).toMatch(/left-alone|failed/)
    expect('reason' in choice && choice.reason).toContain(said)
  })
  test('30,000 pixels in a small file', async () => {
    const bytes = await sharp({
      create: { width: 30_000, height: 3000, channels: 3, background: '#123' },
      limitInputPixels: false,
    })
      .png({ compressionLevel: 9 })
      .toBuffer()
    expect(bytes.length).toBeLessThan(1_000_000)
    expect(await choose(bytes)).toEqual({
      kind: 'left-alone',
      reason: expect.stringContaining('30,000 × 3,000 pixels') as string,
    })
  }, 60_000)
  test('colours of print are shown as on screens, and that is said', async () => {
    const bytes = await photo(8).toColourspace('cmyk').withIccProfile('cmyk').jpeg({ quality: 96 }).toBuffer()
    const { variants, note } = await madeOf(bytes, { bound: { kind: 'ssim', atLeast: 0.9 } })
    expect(note).toContain('CMYK')
    for (const { bytes: made } of variants) {
      expect((await sharp(made).metadata()).space).toBe('srgb')
      expect(similarityOf(await seen(bytes), await seen(made))).toBeGreaterThan(0.88)
    }
    expect(variants.length).toBe(3)
  })
  test('a photo of 16 bits becomes one of 8, and that is said', async () => {
    const bytes = await photo(9).toColourspace('rgb16').png().toBuffer()
    const { variants, note } = await madeOf(bytes)
    expect(note).toContain('16 bits')
    expect(variants.length).toBeGreaterThan(0)
  })
  test('a name that says something else does not matter', async () => {
    expect(await factsOf(await drawing(4).webp().toBuffer())).toEqual({ form: 'webp', width: 240, height: 160 })
  })
})

// Two of the forty of picture-choice.long.test.ts.
test('the choice is nearly as light as any there is', async () => {
  const { chosen, best } = await againstAll([1, 2])
  expect(chosen / best).toBeLessThan(1.03)
}, 120_000)
