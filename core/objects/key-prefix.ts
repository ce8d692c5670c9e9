/** What programs put between the parts of a key (common practice). */
const SEPARATORS = new Set([...':|/.'].map((one) => one.charCodeAt(0)))
const LONGEST = 80
const [ZERO, NINE] = [48, 57]

const isSeparator = (byte: number | undefined): boolean => byte !== undefined && SEPARATORS.has(byte)

/** A part that names one thing and not a kind of things: a number, or a digest. */
const isName = (part: string): boolean => /^\d+$/.test(part) || /^(?=.*\d)[0-9a-f-]{8,}$/i.test(part)

/**
 * The beginning that keys of one kind share: the parts before the last one, up to two of them, without numbers and digests. `shop:posts:42` belongs to
 * `shop:posts:`, `session:9f86d081` to `session:`, `title` to `title`.
 * @param key bytes @returns one character a byte
 */
export const groupPrefix = (key: Uint8Array): string => {
  let prefix = ''
  let part = ''
  let parts = 0
  for (let at = 0; at < Math.min(key.length, LONGEST); at++) {
    const byte = key[at] ?? 0
    if (!isSeparator(byte)) {
      part += String.fromCharCode(byte)
      continue
    }
    if (isName(part)) return prefix === '' ? part + String.fromCharCode(byte) : prefix
    prefix += part + String.fromCharCode(byte)
    part = ''
    if (++parts === 2) return prefix
  }
  return prefix === '' ? withoutNumber(part) : prefix
}

/** `post_42` is one of `post_`. */
const withoutNumber = (word: string): string => {
  let end = word.length
  while (end > 0 && word.charCodeAt(end - 1) >= ZERO && word.charCodeAt(end - 1) <= NINE) end--
  return end === 0 ? word : word.slice(0, end)
}
