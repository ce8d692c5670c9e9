import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseZone, wholeName, writeZone, type ZoneRecord } from './zone-file.ts'

/** The example of RFC 1035 §5.3, from memory. */
const EXAMPLE = `@   IN  SOA     VENERA      Action\\.domains (
                                 20     ; SERIAL
                                 7200   ; REFRESH
                                 600    ; RETRY
                                 3600000; EXPIRE
                                 60)    ; MINIMUM

        NS      A.ISI.EDU.
        NS      VENERA
        MX      10      VENERA
        MX      20      VAXA

A       A       26.3.0.103

VENERA  A       10.1.0.52
        A       128.9.0.32

VAXA    A       10.2.0.27
        A       128.9.0.33
`
const short = ({ name, type, data }: ZoneRecord): string => `${name} ${type} ${data}`

describe('a zone file', () => {
  test('is read as RFC 1035 §5.3 shows it', () => {
    const { records, problems } = parseZone(EXAMPLE, 'isi.edu')
    expect(problems).toEqual([])
    expect(records.map(short)).toEqual([
      'isi.edu. SOA venera.isi.edu. action\\.domains.isi.edu. 20 7200 600 3600000 60',
      'isi.edu. NS a.isi.edu.',
      'isi.edu. NS venera.isi.edu.',
      'isi.edu. MX 10 venera.isi.edu.',
      'isi.edu. MX 20 vaxa.isi.edu.',
      'a.isi.edu. A 26.3.0.103',
      'venera.isi.edu. A 10.1.0.52',
      'venera.isi.edu. A 128.9.0.32',
      'vaxa.isi.edu. A 10.2.0.27',
      'vaxa.isi.edu. A 128.9.0.33',
    ])
  })
  test.each([
    ['a time of its own', 'www 60 A 192.0.2.1', 'www.quay.example.', 60, 'A', '192.0.2.1'],
    ['class before time', 'www IN 60 A 192.0.2.1', 'www.quay.example.', 60, 'A', '192.0.2.1'],
    ['time before class', 'www 60 IN A 192.0.2.1', 'www.quay.example.', 60, 'A', '192.0.2.1'],
    ['a time with units', 'www 1h30m A 192.0.2.1', 'www.quay.example.', 5400, 'A', '192.0.2.1'],
    ['the usual time', '$TTL 2d\nwww A 192.0.2.1', 'www.quay.example.', 172_800, 'A', '192.0.2.1'],
    ['another origin', '$ORIGIN sub\nwww A 192.0.2.1', 'www.sub.quay.example.', 3600, 'A', '192.0.2.1'],
    ['a whole name', 'www.other.example. CNAME @', 'www.other.example.', 3600, 'CNAME', 'quay.example.'],
    ['text with a semicolon', '@ TXT "a; b" "c \\" d"', 'quay.example.', 3600, 'TXT', '"a; b" "c \\" d"'],
    ['small letters', 'www in cname QUAY', 'www.quay.example.', 3600, 'CNAME', 'quay.quay.example.'],
    ['a wildcard', '* A 192.0.2.1', '*.quay.example.', 3600, 'A', '192.0.2.1'],
    ['lines of another system', 'www A 192.0.2.1\r\n', 'www.quay.example.', 3600, 'A', '192.0.2.1'],
  ])('may have %s', (_what, text, name, ttl, type, data) => {
    expect(parseZone(text, 'quay.example')).toEqual({ records: [{ name, ttl, type, data }], problems: [] })
  })
  test.each([
    ['www', 1, /needs a type and data/],
    ['\n\nwww A', 3, /needs a type and data/],
    ['@ SOA a b (1 2 3', 1, /opened and not closed/],
    ['@ TXT "open', 1, /quotation mark/],
    ['$INCLUDE other.zone', 1, /not read here/],
    ['  A 192.0.2.1', 1, /no name/],
    [`${'x'.repeat(64)} A 192.0.2.1`, 1, /is no name/],
  ])('%j is told with its line, and the rest is read', (text, line, sentence) => {
    const { problems } = parseZone(text, 'quay.example')
    expect(problems[0]?.line).toBe(line)
    expect(problems[0]?.sentence).toMatch(sentence)
    if (!text.includes('(') && !text.includes('"'))
      expect(parseZone(`${text}\nmail A 192.0.2.9`, 'quay.example').records.at(-1)?.name).toBe('mail.quay.example.')
  })
  test('of any bytes is read or told of, within bounds', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom(...'@.ab10 \t\n;()"\\$INA'), maxLength: 200 }), (text) => {
        const { records, problems } = parseZone(text, 'quay.example')
        expect(records.length + problems.length).toBeLessThanOrEqual(250)
      }),
    )
    expect(parseZone('x'.repeat(2_000_001), 'quay.example').problems).toHaveLength(1)
    const many = Array.from({ length: 5000 }, (_, at) => `n${at} A 192.0.2.1`).join('\n')
    expect(parseZone(many, 'quay.example').records).toHaveLength(5000)
  })
})

const label = fc.stringMatching(/^[a-z][a-z0-9]{0,10}$/)
const octet = fc.integer({ min: 1, max: 254 })
const record: fc.Arbitrary<ZoneRecord> = fc
  .tuple(
    fc.uniqueArray(label, { minLength: 1, maxLength: 2 }),
    fc.integer({ min: 0, max: 1_000_000 }),
    fc.oneof(
      fc.tuple(octet, octet).map(([a, b]): [string, string] => ['A', `192.0.${a}.${b}`]),
      octet.map((a): [string, string] => ['AAAA', `2001:db8::${a.toString(16)}`]),
      label.map((name): [string, string] => ['MX', `10 ${name}.quay.example.`]),
      label.map((text): [string, string] => ['TXT', `"${text}; x"`]),
    ),
  )
  .map(([labels, ttl, [type, data]]) => ({ name: `${labels.join('.')}.quay.example.`, ttl, type, data }))
const sets = fc.uniqueArray(record, { maxLength: 20, selector: (one) => `${one.name} ${one.type}` })

test('what is written is read as it was', () => {
  fc.assert(
    fc.property(sets, (records) => {
      expect(parseZone(writeZone(records, 'quay.example'), 'quay.example')).toEqual({ records, problems: [] })
    }),
  )
})

/** Judged by Debian's named-checkzone (BIND 9.18), which writes a zone as it has understood it. */
test.skipIf(!existsSync('/usr/bin/named-checkzone'))('is understood as by a name server', () => {
  const folder = mkdtempSync(join(tmpdir(), 'zest-zone-'))
  const understood = (text: string): string[] => {
    writeFileSync(join(folder, 'zone'), text)
    const { stdout, status } = spawnSync(
      '/usr/bin/named-checkzone',
      ['-i', 'none', '-q', '-D', '-o', '-', 'quay.example', join(folder, 'zone')],
      { encoding: 'utf8' },
    )
    expect(status).toBe(0)
    return parseZone(stdout, 'quay.example')
      .records.map((one) => `${short(one)} ${one.ttl}`)
      .toSorted()
  }
  const head = '@ 300 IN SOA ns hostmaster 1 7200 600 3600000 60\n@ 300 IN NS ns\nns 300 IN A 192.0.2.53\n'
  const ours = (text: string): string[] =>
    parseZone(text, 'quay.example')
      .records.map((one) => `${short(one)} ${one.ttl}`)
      .toSorted()
  fc.assert(
    fc.property(sets, (records) => {
      const text = head + writeZone(records, 'quay.example')
      expect(understood(text)).toEqual(ours(text))
    }),
    { numRuns: 20 },
  )
  const hand = `$TTL 1h\n${head}www IN CNAME @\n@ 60 A 192.0.2.1\n  TXT "a; b" "c"\nmail (\n 1h\n A 192.0.2.2 ) ; where mail goes\n$ORIGIN sub\nx AAAA 2001:db8::1\n`
  expect(understood(hand)).toEqual(ours(hand))
  rmSync(folder, { recursive: true })
})

test.each([
  ['www', 'quay.example.', 'www.quay.example.'],
  ['@', 'quay.example.', 'quay.example.'],
  ['WWW.Quay.Example.', '.', 'www.quay.example.'],
  ['a..b', 'quay.example.', undefined],
  ['a b', 'quay.example.', undefined],
])('%j under %s is %s', (text, origin, name) => {
  expect(wholeName(text, origin)).toBe(name)
})
