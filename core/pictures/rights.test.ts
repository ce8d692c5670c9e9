import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { rightsFrom, rightsFromIptc, rightsFromXmp } from './rights.ts'

const xmp = (inside: string) => `<?xpacket begin="\uFEFF" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:p="urn:other">${inside}</rdf:Description>
</rdf:RDF></x:xmpmeta>\n${' '.repeat(40)}\n<?xpacket end="w"?>`

describe('XMP', () => {
  test.each([
    [
      'the notice for everybody, whatever the order of languages',
      `<dc:rights><rdf:Alt><rdf:li xml:lang="gd">Còraichean</rdf:li><rdf:li xml:lang="x-default">© Orrin Sound</rdf:li></rdf:Alt></dc:rights>`,
      { Copyright: '© Orrin Sound' },
    ],
    [
      'everybody who made it',
      `<dc:creator><rdf:Seq><rdf:li>The Keeper</rdf:li><rdf:li>A Deckhand &amp; Sons</rdf:li></rdf:Seq></dc:creator>`,
      { Artist: 'The Keeper; A Deckhand & Sons' },
    ],
    ['a notice as plain text', '<dc:rights>Orrin Sound</dc:rights>', { Copyright: 'Orrin Sound' }],
    ['nothing of another vocabulary', '<p:rights>Somebody</p:rights>', {}],
    ['nothing where nothing stands', '<dc:rights><rdf:Alt><rdf:li> </rdf:li></rdf:Alt></dc:rights>', {}],
  ])('gives %s', (_what, inside, found) => {
    expect(rightsFromXmp(xmp(inside))).toEqual(found)
  })
  test('whatever it holds, reading it ends without an error', () => {
    fc.assert(fc.property(fc.string(), (text) => void rightsFromXmp(text)))
    expect(rightsFromXmp('<dc:rights>')).toEqual({})
  })
})

const record = (of: number, dataset: number, text: string, coding: BufferEncoding = 'latin1'): Buffer => {
  const value = Buffer.from(text, coding)
  return Buffer.concat([Buffer.from([0x1c, of, dataset, value.length >> 8, value.length & 0xff]), value])
}
const resource = (id: number, name: string, data: Buffer): Buffer => {
  const head = Buffer.alloc(6)
  head.write('8BIM', 'latin1')
  head.writeUInt16BE(id, 4)
  const title = Buffer.from([name.length, ...Buffer.from(name, 'latin1'), ...(name.length % 2 === 0 ? [0] : [])])
  const size = Buffer.alloc(4)
  size.writeUInt32BE(data.length)
  return Buffer.concat([head, title, size, data, Buffer.alloc(data.length % 2)])
}

describe('IPTC', () => {
  const both = [record(2, 80, 'The Keeper'), record(2, 116, '© Orrin Sound')]
  const found = { Copyright: '© Orrin Sound', Artist: 'The Keeper' }
  test.each([
    ['records alone', Buffer.concat(both), found],
    [
      'records in a Photoshop block, behind others',
      Buffer.concat([
        Buffer.from('Photoshop 3.0\0', 'latin1'),
        resource(0x03_ed, 'odd', Buffer.from('123')),
        resource(0x04_04, '', Buffer.concat(both)),
      ]),
      found,
    ],
    [
      'records that say they are in UTF-8',
      Buffer.concat([record(1, 90, '\u001B%G'), record(2, 116, '© Càidh', 'utf8')]),
      { Copyright: '© Càidh' },
    ],
    ['records of other matters', Buffer.concat([record(2, 5, 'A quay'), record(2, 25, 'sea')]), {}],
    ['a record that is cut off', record(2, 116, 'Orrin Sound').subarray(0, 9), { Copyright: 'Orri' }],
    ['no records', Buffer.from('nothing of the kind'), {}],
    ['nothing', Buffer.alloc(0), {}],
  ])('is read from %s', (_what, bytes, rights) => {
    expect(rightsFromIptc(bytes)).toEqual(rights)
  })
  test('whatever it holds, reading it ends without an error', () => {
    fc.assert(fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => void rightsFromIptc(bytes)))
    const block = fc.uint8Array({ maxLength: 60 }).map((rest) => Buffer.concat([Buffer.from('8BIM'), rest]))
    fc.assert(fc.property(block, (bytes) => void rightsFromIptc(bytes)))
  })
})

test('what several sources say, the first says best', () => {
  expect(rightsFrom({ Artist: 'A' }, { Copyright: 'B' }, { Copyright: 'C', Artist: 'D' })).toEqual({
    Copyright: 'B',
    Artist: 'A',
  })
})
