import { fieldValue, type Fields } from '../../core/http/fields.ts'

/** A page as text, and the encoding that turns it back into the same bytes. */
export interface PageText {
  readonly text: string
  readonly encoding: 'utf8' | 'latin1'
}

const DECLARED = /<meta[^>]*charset\s*=\s*["']?([\w-]+)/i
/** Encodings in which ASCII is ASCII and each byte a character (WHATWG Encoding §9): what we touch and add is ASCII, the rest passes as it is. */
const SINGLE_BYTE = /^(iso-8859-\d+|windows-125\d|latin1|us-ascii)$/

/** @returns undefined for encodings that cannot be written back byte for byte */
export const pageText = (fields: Fields, bytes: Buffer): PageText | undefined => {
  const type = fieldValue(fields, 'content-type') ?? ''
  // WHATWG HTML §13.2.3: what the transport says comes before what the first kilobyte of the page says.
  const declared = /charset\s*=\s*"?([\w-]+)/i.exec(type) ?? DECLARED.exec(bytes.toString('latin1', 0, 1024))
  const charset = declared?.[1]?.toLowerCase() ?? 'utf-8'
  if (SINGLE_BYTE.test(charset)) return { text: bytes.toString('latin1'), encoding: 'latin1' }
  if (charset !== 'utf-8' && charset !== 'utf8') return undefined
  const text = bytes.toString('utf8')
  return Buffer.from(text).equals(bytes) ? { text, encoding: 'utf8' } : undefined
}
