const C1 = 0xcc9e2d51
const C2 = 0x1b873593

const rotated = (value: number, by: number): number => (value << by) | (value >>> (32 - by))

/**
 * Hash of a key, 32 bits: MurmurHash3 for 32 bits (Appleby, in the public domain; from memory).
 * @param seed another one in each process, so that nobody can choose keys that fall together
 */
export const keyHash = (key: Uint8Array, seed: number): number => {
  let hash = seed
  const { length } = key
  const whole = length & ~3
  for (let at = 0; at < whole; at += 4) {
    const word = key[at]! | (key[at + 1]! << 8) | (key[at + 2]! << 16) | (key[at + 3]! << 24)
    hash ^= Math.imul(rotated(Math.imul(word, C1), 15), C2)
    hash = (Math.imul(rotated(hash, 13), 5) + 0xe6546b64) | 0
  }
  let rest = 0
  for (let at = length - 1; at >= whole; at--) rest = (rest << 8) | key[at]!
  if (length > whole) hash ^= Math.imul(rotated(Math.imul(rest, C1), 15), C2)
  hash ^= length
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b)
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35)
  return (hash ^ (hash >>> 16)) >>> 0
}
