/** What programs put between the parts of a key (common practice). */
const isSeparator = (byte: number): boolean => byte === 58 || byte === 124 || byte === 47 || byte === 46
const LONGEST = 80
/** A part this long of digits and the letters a to f is a digest. */
const SHORTEST_DIGEST = 8

const isDigit = (byte: number): boolean => byte >= 48 && byte <= 57
const isHexLetter = (byte: number): boolean => (byte >= 97 && byte <= 102) || (byte >= 65 && byte <= 70) || byte === 45

/** Whether a part names one thing and not a kind of things: a number, or a digest. */
const isName = (key: Uint8Array, from: number, to: number): boolean => {
  let [digits, letters] = [0, 0]
  for (let at = from; at < to; at++) {
    const byte = key[at] ?? 0
    if (isDigit(byte)) digits++
    else if (isHexLetter(byte)) letters++
    else return false
  }
  return digits > 0 && (letters === 0 || to - from >= SHORTEST_DIGEST)
}

/** Where the beginning ends that keys of one kind share. */
const prefixEnd = (key: Uint8Array): number => {
  const length = Math.min(key.length, LONGEST)
  let end = 0
  let parts = 0
  for (let at = 0; at < length; at++) {
    if (!isSeparator(key[at] ?? 0)) continue
    if (isName(key, end, at)) return end === 0 ? at + 1 : end
    end = at + 1
    if (++parts === 2) return end
  }
  if (end > 0) return end
  // `post_42` is one of `post_`.
  let last = length
  while (last > 0 && isDigit(key[last - 1] ?? 0)) last--
  return last === 0 ? length : last
}

/**
 * The beginning that keys of one kind share: the parts before the last one, up to two of them, without numbers and digests. `shop:posts:42` belongs to
 * `shop:posts:`, `session:9f86d081` to `session:`, `title` to `title`.
 * @param key bytes @returns one character a byte
 */
export const groupPrefix = (key: Uint8Array): string => {
  const end = prefixEnd(key)
  let prefix = ''
  for (let at = 0; at < end; at++) prefix += String.fromCharCode(key[at] ?? 0)
  return prefix
}
