import type { ImageSettings } from '../../contracts/rewriting.ts'

/**
 * Widths that pictures are offered in besides their largest, pixels: each a third to a half as wide again as the one before (common practice). Phones
 * are 360 to 430 CSS pixels wide, so twice that has a step of its own.
 */
const STEPS = [320, 480, 640, 860, 1200, 1700, 2400]

/**
 * Widths a picture is offered in, narrowest first. The largest is its own, or what the widest screen needs at the density the owner allows.
 * @param natural width of the picture, pixels
 */
export const offeredWidths = (
  natural: number,
  { widest, density, sizes }: Pick<ImageSettings, 'widest' | 'density' | 'sizes'>,
): number[] => {
  const largest = Math.min(natural, Math.round(widest * density))
  // One that is nearly as wide as the largest saves next to nothing.
  return [...(sizes ? STEPS.filter((step) => step <= largest * 0.9) : []), largest]
}

/** Form of a picture. */
export type PictureForm = 'avif' | 'webp' | 'jpeg' | 'png' | 'gif'

/** Forms in which a picture is offered, smallest first; its own last. */
export const offeredForms = (own: PictureForm, { avif, webp }: Pick<ImageSettings, 'avif' | 'webp'>): PictureForm[] => [
  ...(avif && own !== 'avif' ? (['avif'] as const) : []),
  ...(webp && own !== 'webp' && own !== 'avif' ? (['webp'] as const) : []),
  own,
]

/**
 * Quality of each form that looks like a JPEG of the given quality (common practice: WebP about the same figure less a few, AVIF about
 * two thirds of it).
 */
export const qualityFor = (form: PictureForm, jpegQuality: number): number =>
  Math.round(form === 'avif' ? jpegQuality * 0.67 : form === 'webp' ? jpegQuality - 4 : jpegQuality)

/** Whether a browser says that it takes a form (RFC 9110 §12.5.1); wildcards do not count, since all browsers send one. */
export const takesForm = (accept: string | undefined, form: PictureForm): boolean =>
  new RegExp(`image/${form}(?!\\s*;\\s*q=0(?:\\.0*)?\\s*(?:,|$))`, 'i').test(accept ?? '')

/** Forms a browser takes of those that are offered; the last is the picture’s own. */
export const acceptedForms = (accept: string | undefined, offered: readonly PictureForm[]): PictureForm[] =>
  offered.filter((form, index) => index === offered.length - 1 || takesForm(accept, form))
