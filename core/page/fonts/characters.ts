/** Blocks of Unicode are looked at 128 characters at a time. */
const BLOCK = 128
/** Always kept: Latin with its accents, general punctuation, currency, letterlike signs and arrows. */
const ALWAYS: readonly (readonly [number, number])[] = [
  [0x00, 0x24f],
  [0x2000, 0x20cf],
  [0x2100, 0x21ff],
  [0x2212, 0x2212],
  [0xfb00, 0xfb06],
  [0xfffd, 0xfffd],
]

/** Private use areas: where icon fonts keep their icons. */
export const isPrivateUse = (point: number): boolean =>
  (point >= 0xe000 && point <= 0xf8ff) || (point >= 0xf0000 && point <= 0x10fffd)

/** The block a character is of. */
export const blockOf = (point: number): number => Math.floor(point / BLOCK)

const always = (point: number): boolean => ALWAYS.some(([from, to]) => point >= from && point <= to)

/** Blocks of the characters of a text that are not always kept: the other scripts a site is written in. */
export const blocksIn = (text: string): number[] => {
  const blocks = new Set<number>()
  for (const char of text) {
    const point = char.codePointAt(0) ?? 0
    if (!always(point) && !isPrivateUse(point)) blocks.add(blockOf(point))
  }
  return [...blocks].sort((a, b) => a - b)
}

/** Icons that a style sheet or page puts into text: characters of private use, also in CSS escapes (CSS Syntax 3 §4.3.7). */
export const iconsIn = (text: string): number[] => {
  const points = new Set<number>()
  for (const [, hex = ''] of text.matchAll(/\\([0-9a-f]{4,6})\b/gi)) points.add(Number.parseInt(hex, 16))
  for (const [, hex = ''] of text.matchAll(/&#x([0-9a-f]{4,6});?/gi)) points.add(Number.parseInt(hex, 16))
  for (const char of text) points.add(char.codePointAt(0) ?? 0)
  return [...points].filter(isPrivateUse).sort((a, b) => a - b)
}

/** What a font is for, told by what it holds. */
export const isIconFont = (points: readonly number[]): boolean =>
  points.length > 0 && points.filter(isPrivateUse).length > points.length / 2

/**
 * The characters of a font that are kept: of an icon font, its icons in use; of a text font, those of the scripts the site is written in.
 * @param points characters the font has
 */
export const keptCharacters = (
  points: readonly number[],
  used: { readonly blocks: ReadonlySet<number>; readonly icons: ReadonlySet<number>; readonly keep: string },
): number[] => {
  const extra = new Set([...used.keep].map((char) => char.codePointAt(0) ?? 0))
  const icons = isIconFont(points)
  return points.filter(
    (point) =>
      extra.has(point) ||
      used.icons.has(point) ||
      (icons ? always(point) && !isPrivateUse(point) : always(point) || used.blocks.has(blockOf(point))),
  )
}
