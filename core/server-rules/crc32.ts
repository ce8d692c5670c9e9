const TABLE = Uint32Array.from({ length: 256 }, (_, byte) => {
  let value = byte
  for (let bit = 0; bit < 8; bit++) value = (value & 1) === 1 ? (value >>> 1) ^ 0xedb88320 : value >>> 1
  return value
})

/** CRC-32 of a text in UTF-8 (ISO/IEC 3309, as in RFC 1952 §8): tells changes by hand, and is no protection against anybody. @returns eight hexadecimal digits */
export const crc32 = (text: string): string => {
  let value = 0xffffffff
  for (const byte of new TextEncoder().encode(text)) value = (value >>> 8) ^ (TABLE[(value ^ byte) & 0xff] ?? 0)
  return ((value ^ 0xffffffff) >>> 0).toString(16).padStart(8, '0')
}
