import * as fontkit from 'fontkit'
import sharp, { type Sharp } from 'sharp'
import subsetFont from 'subset-font'
import { isIconFont, keptCharacters } from '../../core/page/fonts/characters.ts'
import { minifyScript } from '../../core/page/minify/script.ts'
import { isMovingPng } from '../../core/pictures/picture-kind.ts'
import { qualityFor, type PictureForm } from '../../core/page/pictures/widths.ts'

/** One thread and little memory: this runs beside visitors' traffic, for as long as it takes. */
sharp.concurrency(1)
sharp.cache({ memory: 32, items: 20 })

/** Pixels; a picture that unpacks to more is left alone (a small file can hold a very large one). */
const MOST_PIXELS = 80_000_000
/** How hard AVIF is tried, 0 to 9: above 4 a photo takes seconds and loses a few per cent (common practice). */
const AVIF_EFFORT = 3

export interface PictureFacts {
  readonly width: number
  readonly height: number
  readonly form: PictureForm
}

export interface PictureOrder {
  readonly bytes: Buffer
  readonly form: PictureForm
  /** Pixels. */
  readonly width: number
  readonly quality: number
  readonly lossless: boolean
}

export interface FontOrder {
  readonly bytes: Buffer
  readonly blocks: readonly number[]
  readonly icons: readonly number[]
  readonly keep: string
  readonly text: boolean
  readonly iconFonts: boolean
}

/** How hard the form is tried that stands in until the best one is there, 0 to 6. */
const QUICK_WEBP_EFFORT = 1

const upright = (bytes: Buffer, width: number): Sharp =>
  sharp(bytes, { limitInputPixels: MOST_PIXELS, failOn: 'error' })
    .autoOrient()
    .keepIccProfile()
    .resize({ width, withoutEnlargement: true })

const FORMS: Record<string, PictureForm> = {
  jpeg: 'jpeg',
  png: 'png',
  webp: 'webp',
  gif: 'gif',
  heif: 'avif',
}

/**
 * How finely AVIF keeps colours: in half the resolution, as the JPEG and WebP made beside it do, where the original is a photo that does so too. It takes
 * some 7 % less, and the browser less time to unpack it. Drawings keep every edge, WebP without loss among them (RFC 9649 §3.4).
 */
const coloursOf = async (bytes: Buffer): Promise<'4:2:0' | '4:4:4'> => {
  const meta = await sharp(bytes, { limitInputPixels: MOST_PIXELS })
    .metadata()
    .catch(() => undefined)
  return (meta?.format === 'webp' && !bytes.includes('VP8L')) || meta?.chromaSubsampling?.startsWith('4:2:0') === true
    ? '4:2:0'
    : '4:4:4'
}

/** Work that takes from a tenth of a second to minutes. Carried out one after the other in a process that yields to everything else. */
export const BULK_TASKS = {
  /** @returns undefined for what is no picture, moves, or is too large */
  pictureFacts: async (bytes: Buffer): Promise<PictureFacts | undefined> => {
    const meta = await sharp(bytes, { limitInputPixels: MOST_PIXELS })
      .metadata()
      .catch(() => undefined)
    const form = FORMS[meta?.format ?? '']
    if (meta === undefined || form === undefined || (meta.pages ?? 1) > 1 || isMovingPng(bytes)) return undefined
    if (meta.width * meta.height > MOST_PIXELS) return undefined
    // Turned by the camera: shown with width and height exchanged (Exif orientation 5 to 8).
    const turned = (meta.orientation ?? 1) >= 5
    return { width: turned ? meta.height : meta.width, height: turned ? meta.width : meta.height, form }
  },
  picture: async ({ bytes, form, width, quality, lossless }: PictureOrder): Promise<Buffer | undefined> => {
    const picture = upright(bytes, width)
    const asked = qualityFor(form, quality)
    const made =
      form === 'avif'
        ? picture.avif({
            quality: asked,
            lossless,
            effort: AVIF_EFFORT,
            chromaSubsampling: lossless ? '4:4:4' : await coloursOf(bytes),
          })
        : form === 'webp'
          ? picture.webp({ quality: asked, lossless, effort: 4 })
          : form === 'jpeg'
            ? picture.jpeg({ quality: asked, mozjpeg: true })
            : form === 'png'
              ? picture.png({ compressionLevel: 9, palette: !lossless, quality: lossless ? 100 : asked })
              : picture.gif()
    return made.toBuffer().catch(() => undefined)
  },
  /** A WebP that takes a tenth of a second, where the best form takes seconds: the first visitors of a page get this. */
  quickPicture: async ({ bytes, width, quality, lossless }: Omit<PictureOrder, 'form'>): Promise<Buffer | undefined> =>
    upright(bytes, width)
      .webp({ quality: qualityFor('webp', quality), lossless, effort: QUICK_WEBP_EFFORT })
      .toBuffer()
      .catch(() => undefined),
  /** @returns undefined when there is nothing to cut, or the font cannot be read */
  font: async ({ bytes, blocks, icons, keep, text, iconFonts }: FontOrder): Promise<Buffer | undefined> => {
    try {
      const font = fontkit.create(bytes)
      if (!('characterSet' in font)) return undefined
      const points = font.characterSet
      if (isIconFont(points) ? !iconFonts : !text) return undefined
      const kept = keptCharacters(points, { blocks: new Set(blocks), icons: new Set(icons), keep })
      if (kept.length === 0) return undefined
      const made = await subsetFont(bytes, String.fromCodePoint(...kept), { targetFormat: 'woff2' })
      return made.length < bytes.length ? made : undefined
    } catch {
      return undefined
    }
  },
  script: (text: string): Promise<string> => minifyScript(text),
}
