import { SaxesParser } from 'saxes'

/** Whose a picture is, and who made it, in the words of Exif. */
export interface Rights {
  readonly Copyright?: string
  readonly Artist?: string
}

/** More of it is no name. */
const LONGEST = 500

const rights = (copyright: string | undefined, artist: string | undefined): Rights => {
  const plain = (text: string | undefined): string => (text ?? '').trim().slice(0, LONGEST)
  return {
    ...(plain(copyright) === '' ? {} : { Copyright: plain(copyright) }),
    ...(plain(artist) === '' ? {} : { Artist: plain(artist) }),
  }
}

const DUBLIN_CORE = 'http://purl.org/dc/elements/1.1/'

/** What is being read: a property, and whether its text is the one for everybody. */
interface Open {
  readonly property: 'rights' | 'creator'
  default: boolean
  text: string
}

/**
 * From XMP (ISO 16684-1 §8.3: dc:rights is a language alternative, dc:creator a list).
 * @param packet UTF-8 @returns nothing where it is no XML
 */
export const rightsFromXmp = (packet: string): Rights => {
  const parser = new SaxesParser({ xmlns: true, fragment: true })
  const creators: string[] = []
  const notices: { readonly text: string; readonly default: boolean }[] = []
  let open: Open | undefined
  parser.on('error', () => undefined)
  parser.on('opentag', ({ uri, local, attributes }) => {
    if (uri === DUBLIN_CORE && (local === 'rights' || local === 'creator'))
      open = { property: local, default: false, text: '' }
    if (open !== undefined) open.default ||= attributes['xml:lang']?.value === 'x-default'
  })
  parser.on('text', (text) => {
    if (open !== undefined) open.text += text
  })
  parser.on('closetag', ({ uri, local }) => {
    if (open === undefined) return
    const ends = uri === DUBLIN_CORE && local === open.property
    if (local === 'li' || ends) {
      const text = open.text.trim()
      if (text !== '' && open.property === 'creator') creators.push(text)
      if (text !== '' && open.property === 'rights') notices.push({ text, default: open.default })
      open.text = ''
      open.default = false
    }
    if (ends) open = undefined
  })
  parser.write(packet.replaceAll('\0', '')).close()
  const notice = notices.find((one) => one.default) ?? notices[0]
  return rights(notice?.text, creators.join('; '))
}

/** Resource of a Photoshop block that holds IPTC records (Adobe Photoshop File Formats, "Image Resource Blocks"). */
const IPTC_RESOURCE = 0x0404
const BLOCK = '8BIM'

/** Where the records begin: some files have them alone. */
const recordsOf = (bytes: Uint8Array): Uint8Array => {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const text = (from: number, length: number): string => String.fromCharCode(...bytes.subarray(from, from + length))
  const header = 'Photoshop 3.0\0'
  let at = text(0, header.length) === header ? header.length : 0
  while (at + 12 <= bytes.length && text(at, 4) === BLOCK) {
    const id = view.getUint16(at + 4)
    // A Pascal string, padded to an even length with its length byte.
    const name = 1 + (bytes[at + 6] ?? 0)
    const sizeAt = at + 6 + name + (name % 2)
    if (sizeAt + 4 > bytes.length) break
    const size = view.getUint32(sizeAt)
    if (id === IPTC_RESOURCE) return bytes.subarray(sizeAt + 4, sizeAt + 4 + size)
    at = sizeAt + 4 + size + (size % 2)
  }
  return bytes
}

const TAG_MARKER = 0x1c
const COPYRIGHT_NOTICE = 116
const BY_LINE = 80
const CODED_CHARACTER_SET = 90
/** ISO 2022: from here on UTF-8. */
const UTF8 = '\u001B%G'

/**
 * From IPTC records (IPTC-NAA Information Interchange Model 4.2 §1.5, §6: 2:116 copyright notice, 2:80 by-line, 1:90 character set).
 * @param bytes the records, or the Photoshop block that holds them
 */
export const rightsFromIptc = (bytes: Uint8Array): Rights => {
  const records = recordsOf(bytes)
  let decoder = new TextDecoder('latin1')
  let copyright: string | undefined
  const artists: string[] = []
  // Marker, record, dataset and a length of two bytes; longer ones are of no interest here.
  for (let at = 0; at + 5 <= records.length && records[at] === TAG_MARKER;) {
    const [, record, dataset, high = 0, low = 0] = records.subarray(at, at + 5)
    const length = (high << 8) | low
    if (length > 0x7f_ff) break
    const value = decoder.decode(records.subarray(at + 5, at + 5 + length))
    if (record === 1 && dataset === CODED_CHARACTER_SET && value === UTF8) decoder = new TextDecoder('utf-8')
    if (record === 2 && dataset === COPYRIGHT_NOTICE) copyright ??= value
    if (record === 2 && dataset === BY_LINE) artists.push(value)
    at += 5 + length
  }
  return rights(copyright, artists.join('; '))
}

/** The first source that names something counts for it: Exif, IPTC, XMP (Metadata Working Group 2010 §5, from memory). */
export const rightsFrom = (...sources: readonly Rights[]): Rights =>
  sources.toReversed().reduce<Rights>((all, one) => ({ ...all, ...one }), {})
