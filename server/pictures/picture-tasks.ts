import exifReader from 'exif-reader'
import sharp, { type Metadata, type Sharp } from 'sharp'
import type { PictureForm, PicturePlan } from '../../core/contracts/picture-library.ts'
import {
  lightestFrom,
  lightestQuality,
  type EncodedPicture,
  type QualityGoal,
  type QualityRange,
} from '../../core/pictures/lightest-quality.ts'
import { isDrawn, isMovingPng } from '../../core/pictures/picture-kind.ts'
import { rightsFrom, rightsFromIptc, rightsFromXmp, type Rights } from '../../core/pictures/rights.ts'
import { sampleTiles, type Pixels } from '../../core/pictures/sample-tiles.ts'
import { planesOf, similarityOf, type Planes } from '../../core/pictures/similarity.ts'

/** One thread and little memory: this runs beside visitors' traffic, for as long as it takes. */
sharp.concurrency(1)
sharp.cache({ memory: 32, items: 20 })

/** Pixels, of all frames together; a picture that unpacks to more is left alone (a small file can hold a very large one). */
export const MOST_PIXELS = 80_000_000
/** How hard AVIF is tried, 0 to 9: 4 takes five times as long as 3 and saves a few per cent (measured on photos of 3 million pixels). */
const AVIF_EFFORT = 3
const WEBP_EFFORT = 5

export interface PictureFacts {
  readonly form: PictureForm
  readonly width: number
  readonly height: number
}

/** A picture that cannot be read, or that is none, and why. */
export interface Unreadable {
  readonly unreadable: string
}

/** What of the owner's plan counts for one picture. */
export type PictureOrder = Pick<PicturePlan, 'bound' | 'lossless' | 'forms' | 'widest' | 'density' | 'metadata'>

export interface MadeVariant {
  readonly form: PictureForm
  readonly width: number
  readonly height: number
  /** On the scale of the form; null: every pixel is kept. */
  readonly quality: number | null
  readonly similarity: number
  readonly bytes: Buffer
}

export type Choice =
  | { readonly kind: 'made'; readonly graphic: boolean; readonly variants: MadeVariant[]; readonly note: string | null }
  | { readonly kind: 'left-alone' | 'failed'; readonly reason: string }

const FORMS: Record<string, PictureForm> = { jpeg: 'jpeg', png: 'png', webp: 'webp', gif: 'gif', heif: 'avif' }

const OPEN = { limitInputPixels: MOST_PIXELS, failOn: 'error' } as const

const metadataOf = async (bytes: Buffer): Promise<Metadata | undefined> => {
  try {
    return await sharp(bytes, { ...OPEN, limitInputPixels: false, animated: true }).metadata()
  } catch {
    return undefined
  }
}

/** Width and height as it is shown: turned by the camera, the two are exchanged (Exif orientation 5 to 8). */
const shownSize = ({ width, height, orientation = 1, pageHeight }: Metadata): { width: number; height: number } => {
  const tall = pageHeight ?? height
  return orientation >= 5 ? { width: tall, height: width } : { width, height: tall }
}

/** Form and size of a picture by its bytes, whatever its name says. */
export const factsOf = async (bytes: Buffer): Promise<PictureFacts | Unreadable> => {
  const meta = await metadataOf(bytes)
  const form = FORMS[meta?.format ?? '']
  if (meta === undefined || form === undefined || (form === 'avif' && meta.compression === 'hevc'))
    return { unreadable: 'This is no picture that browsers show: the file is damaged, or is something else.' }
  return { form, ...shownSize(meta) }
}

/** Where a library's pictures are alike, the quality that the last one needed is a good first guess for the next. */
const QUALITIES: Record<'avif' | 'webp' | 'jpeg', { -readonly [K in keyof QualityRange]: QualityRange[K] }> = {
  avif: { lowest: 20, highest: 95, first: 62 },
  webp: { lowest: 30, highest: 98, first: 86 },
  jpeg: { lowest: 40, highest: 98, first: 90 },
}

/** Parts may hold more detail than the rest of a picture; above this they would make it heavier than it is. */
const UNEVEN = 1.5

/** Told after each piece of work how long it took, so that others get their share of the processor. */
type Rest = (workedMs: number) => Promise<void>

/** One picture on its way to lighter forms. */
class Lightening {
  readonly #bytes: Buffer
  readonly #meta: Metadata
  readonly #form: PictureForm
  readonly #order: PictureOrder
  readonly #rest: Rest
  readonly #animated: boolean
  readonly #variants: MadeVariant[] = []
  #tiles: Tiles | undefined

  constructor(bytes: Buffer, meta: Metadata, form: PictureForm, order: PictureOrder, rest: Rest) {
    this.#bytes = bytes
    this.#meta = meta
    this.#form = form
    this.#order = order
    this.#rest = rest
    this.#animated = (meta.pages ?? 1) > 1
  }

  /** Upright and no wider than wanted; colours as they were. */
  #upright(): Sharp {
    const { widest, density } = this.#order
    const opened = sharp(this.#bytes, { ...OPEN, animated: this.#animated })
    return (this.#animated ? opened : opened.autoOrient()).resize({
      width: Math.round(widest * density),
      withoutEnlargement: true,
    })
  }

  /** The same with what of its metadata stays. */
  #source(): Sharp {
    const upright = this.#upright()
    if (this.#order.metadata === 'everything') return upright.keepMetadata()
    const owner = ownerOf(this.#meta)
    const coloured = isUsualColour(this.#meta) ? upright : upright.keepIccProfile()
    return Object.keys(owner).length === 0 ? coloured : coloured.withExif({ IFD0: { ...owner } })
  }

  /** How finely colours are kept: in half the resolution where the original does so too; a drawing keeps every edge. */
  #colours(): '4:2:0' | '4:4:4' {
    const said = this.#meta.chromaSubsampling
    return said?.startsWith('4:2:0') === true || (this.#form === 'webp' && !this.#bytes.includes('VP8L'))
      ? '4:2:0'
      : '4:4:4'
  }

  #encode(form: LossyForm, quality: number, source = this.#source()): Promise<Buffer> {
    const encoded =
      form === 'avif'
        ? source.avif({ quality, effort: AVIF_EFFORT, chromaSubsampling: this.#colours() })
        : form === 'webp'
          ? source.webp({ quality, effort: WEBP_EFFORT, smartSubsample: this.#colours() === '4:4:4' })
          : source.jpeg({ quality, mozjpeg: true, chromaSubsampling: this.#colours() })
    return encoded.toBuffer()
  }

  #lossless(form: 'webp' | 'png' | 'gif'): Promise<Buffer> {
    const source = this.#source()
    if (form === 'webp') return source.webp({ lossless: true, effort: WEBP_EFFORT }).toBuffer()
    if (form === 'png') return source.png({ compressionLevel: 9, adaptiveFiltering: true }).toBuffer()
    return source.gif({ effort: 10 }).toBuffer()
  }

  async #timed<T>(work: () => Promise<T>): Promise<T> {
    const began = performance.now()
    const done = await work()
    await this.#rest(performance.now() - began)
    return done
  }

  /** How similar a lighter picture of these pixels has to be. */
  async #bound({ pixels, planes }: Decoded): Promise<number> {
    const { bound } = this.#order
    if (bound.kind === 'ssim') return bound.atLeast
    const jpeg = await fromPixels(pixels)
      .flatten({ background: GREY })
      .jpeg({ quality: bound.quality, chromaSubsampling: '4:2:0' })
      .toBuffer()
    return similarityOf({ ...planes, alpha: undefined }, (await decoded(sharp(jpeg))).planes)
  }

  /** Keep it if it is lighter than the original, or as wide as nobody needs the original to be. */
  #offer(variant: MadeVariant): void {
    if (variant.bytes.length < this.#bytes.length) this.#variants.push(variant)
  }

  async #withLoss(form: LossyForm, { planes }: Decoded, bound: number): Promise<void> {
    const { width, height } = planes.luma
    const whole = (quality: number): Promise<Encoded> =>
      this.#timed(async () => {
        const made = await this.#encode(form, quality)
        const after = await decoded(sharp(made, { animated: this.#animated, limitInputPixels: false }))
        return { quality, made, bytes: made.length, similarity: similarityOf(planes, after.planes) }
      })
    const goal = { bound, mostBytes: this.#bytes.length }
    const found =
      this.#tiles === undefined
        ? await lightestQuality(whole, goal, QUALITIES[form])
        : await this.#byTiles(form, this.#tiles, whole, goal)
    if (found === undefined) return
    const { made, quality, similarity } = found
    QUALITIES[form].first = quality
    this.#offer({ form, width, height: this.#frameHeight(height), quality, similarity, bytes: made })
  }

  /** The quality that parts of a large picture need, then as much more as the whole picture needs. */
  async #byTiles(
    form: LossyForm,
    { decoded: { pixels, planes }, bound, share }: Tiles,
    whole: (quality: number) => Promise<Encoded>,
    goal: QualityGoal,
  ): Promise<Encoded | undefined> {
    const tried = await lightestQuality(
      (quality) =>
        this.#timed(async () => {
          const made = await this.#encode(form, quality, fromPixels(pixels))
          return { quality, bytes: made.length, similarity: similarityOf(planes, (await decoded(sharp(made))).planes) }
        }),
      { bound, mostBytes: goal.mostBytes * share * UNEVEN },
      QUALITIES[form],
    )
    return tried === undefined ? undefined : lightestFrom(whole, goal, tried.quality, QUALITIES[form].highest)
  }

  async #withoutLoss(form: 'webp' | 'png' | 'gif', original: Planes): Promise<void> {
    const bytes = await this.#timed(() => this.#lossless(form))
    const { width, height } = original.luma
    this.#offer({ form, width, height: this.#frameHeight(height), quality: null, similarity: 1, bytes })
  }

  /** Frames of an animation stand below each other. */
  #frameHeight(height: number): number {
    return Math.round(height / (this.#meta.pages ?? 1))
  }

  async choose(): Promise<Choice> {
    const original = await decoded(this.#upright())
    const { pixels, planes } = original
    const graphic = this.#form !== 'jpeg' && isDrawn(pixels)
    const { forms, lossless } = this.#order
    const deep = this.#meta.depth === 'ushort' || this.#meta.depth === 'float'
    if (graphic || lossless === 'everything') {
      if (deep)
        return {
          kind: 'left-alone',
          reason: 'It has 16 bits per colour, which no lighter form that browsers show can keep without loss.',
        }
      if (forms.includes('webp') || this.#form === 'webp') await this.#withoutLoss('webp', planes)
      if (this.#form === 'png') await this.#withoutLoss('png', planes)
    } else {
      const bound = await this.#timed(() => this.#bound(original))
      const parts = sampleTiles(pixels)
      if (parts !== undefined) {
        const tiles = withPlanes(parts)
        this.#tiles = {
          decoded: tiles,
          bound: await this.#timed(() => this.#bound(tiles)),
          share: (parts.width * parts.height) / (pixels.width * pixels.height),
        }
      }
      // AVIF that moves is not made here.
      if ((forms.includes('avif') || this.#form === 'avif') && !this.#animated)
        await this.#withLoss('avif', original, bound)
      if (forms.includes('webp') || this.#form === 'webp') await this.#withLoss('webp', original, bound)
      if (this.#form === 'jpeg') await this.#withLoss('jpeg', original, bound)
      if (this.#form === 'png') await this.#withoutLoss('png', planes)
    }
    if (this.#form === 'gif') await this.#withoutLoss('gif', planes)
    return {
      kind: 'made',
      graphic,
      variants: this.#variants.sort((a, b) => a.bytes.length - b.bytes.length),
      note: noteOf(this.#meta, deep),
    }
  }
}

const GREY = { r: 128, g: 128, b: 128 }

type LossyForm = keyof typeof QUALITIES

interface Decoded {
  readonly pixels: Pixels
  readonly planes: Planes
}
/** A picture in one quality. */
interface Encoded extends EncodedPicture {
  readonly made: Buffer
}
/** Parts of a large picture, how similar they have to be, and which share of the picture they are. */
interface Tiles {
  readonly decoded: Decoded
  readonly bound: number
  readonly share: number
}

const withPlanes = (pixels: Pixels): Decoded => ({
  pixels,
  planes: planesOf(pixels),
})

const decoded = async (picture: Sharp): Promise<Decoded> => {
  const { data, info } = await picture
    .toColourspace('srgb')
    .ensureAlpha()
    .raw({ depth: 'uchar' })
    .toBuffer({ resolveWithObject: true })
  return withPlanes({ values: data, width: info.width, height: info.height })
}

const fromPixels = ({ values, width, height }: Pixels): Sharp => sharp(values, { raw: { width, height, channels: 4 } })

/** Without a profile, or with one of sRGB, browsers show the same. */
const isUsualColour = ({ icc, space }: Metadata): boolean =>
  icc === undefined || space === 'cmyk' || icc.includes('sRGB') || icc.includes(Buffer.from('sRGB', 'utf16le').swap16())

const rightsFromExif = (exif: Buffer): Rights => {
  try {
    const { Copyright, Artist } = exifReader(exif).Image ?? {}
    return Object.fromEntries(
      Object.entries({ Copyright, Artist }).flatMap(([name, value]) =>
        typeof value === 'string' && value.trim() !== '' ? [[name, value.trim()]] : [],
      ),
    )
  } catch {
    // Cameras write much; what nobody can read is not kept.
    return {}
  }
}

/** Who made it and whose it is, wherever that stands in the file. */
const ownerOf = ({ exif, iptc, xmp }: Metadata): Rights =>
  rightsFrom(
    exif === undefined ? {} : rightsFromExif(exif),
    iptc === undefined ? {} : rightsFromIptc(iptc),
    xmp === undefined ? {} : rightsFromXmp(xmp.toString('utf8')),
  )

const noteOf = ({ space }: Metadata, deep: boolean): string | null =>
  space === 'cmyk'
    ? 'Its colours were those of print (CMYK); screens show them as sRGB, and so does the lighter picture.'
    : deep
      ? 'It has 16 bits per colour; the lighter picture has 8, as screens show.'
      : null

/**
 * The lightest picture in every form that may be used, each as similar to the original as the owner wants.
 * @param rest told after each piece of work how long it took, ms
 */
export const chooseVariants = async (bytes: Buffer, order: PictureOrder, rest: Rest): Promise<Choice> => {
  const facts = await factsOf(bytes)
  if ('unreadable' in facts) return { kind: 'failed', reason: facts.unreadable }
  const meta = await metadataOf(bytes)
  if (meta === undefined) return { kind: 'failed', reason: 'The file cannot be read.' }
  if (isMovingPng(bytes))
    return { kind: 'left-alone', reason: 'It is a PNG that moves. A lighter form would stand still.' }
  if (facts.form === 'avif' && (meta.pages ?? 1) > 1)
    return { kind: 'left-alone', reason: 'It is an AVIF that moves, which is as light as it gets.' }
  const pixels = meta.width * meta.height
  if (pixels > MOST_PIXELS)
    return {
      kind: 'left-alone',
      reason: `${facts.width.toLocaleString('en')} × ${facts.height.toLocaleString('en')} pixels unpack to ${Math.round((pixels * 4) / 1e6).toLocaleString('en')} MB, more than is safe beside visitors’ traffic. Resize it where it comes from.`,
    }
  try {
    return await new Lightening(bytes, meta, facts.form, order, rest).choose()
  } catch (error) {
    const [first = ''] = (error as Error).message.split('\n')
    return { kind: 'failed', reason: `The file is damaged: ${first.replace(/\.$/, '').slice(0, 200)}.` }
  }
}
