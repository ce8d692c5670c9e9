import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { DnsRecord, DnsTarget } from '../contracts/going-live.ts'
import { parseZone } from '../formats/zone-file.ts'
import { planDns, siblingOf, whereTo, withNextSerial, withShortTtl } from './dns-plan.ts'

const zoneOf = (text: string): DnsRecord[] => [...parseZone(text, 'quay.example').records]
const V4: DnsTarget = { addresses: ['198.51.100.7'], alias: null }
const lines = (text: string, host = 'www.quay.example', target: DnsTarget = V4): string[] =>
  planDns(zoneOf(text), host, 'quay.example', target).changes.map(
    ({ what, record: { name, type, data } }) => `${what === 'add' ? '+' : '-'} ${name} ${type} ${data}`,
  )

describe('the lines that change', () => {
  test.each([
    ['an address', 'www A 192.0.2.1', V4, ['- www.quay.example. A 192.0.2.1', '+ www.quay.example. A 198.51.100.7']],
    [
      'an address of IPv6 that would lead to the old server',
      'www A 192.0.2.1\nwww AAAA 2001:db8::1',
      V4,
      ['- www.quay.example. A 192.0.2.1', '- www.quay.example. AAAA 2001:db8::1', '+ www.quay.example. A 198.51.100.7'],
    ],
    [
      'an alias by another alias',
      'www CNAME host.example.',
      { addresses: ['198.51.100.7'], alias: 'edge.example' },
      ['- www.quay.example. CNAME host.example.', '+ www.quay.example. CNAME edge.example.'],
    ],
    [
      'an alias by an address',
      'www CNAME host.example.',
      V4,
      ['- www.quay.example. CNAME host.example.', '+ www.quay.example. A 198.51.100.7'],
    ],
    ['nothing, where it leads there already', 'www A 198.51.100.7', V4, []],
    ['nothing there yet', 'mail A 192.0.2.9', V4, ['+ www.quay.example. A 198.51.100.7']],
    [
      'an alias where other records stand, which is not allowed',
      'www A 192.0.2.1\nwww TXT "proof"',
      { addresses: ['198.51.100.7'], alias: 'edge.example' },
      ['- www.quay.example. A 192.0.2.1', '+ www.quay.example. A 198.51.100.7'],
    ],
  ] as const)('replace %s', (_what, text, target, expected) => {
    expect(lines(text, 'www.quay.example', target as DnsTarget)).toEqual(expected)
  })
  test('at the name of the zone are addresses, since an alias is not allowed there (RFC 1034 §3.6.2)', () => {
    const target = { addresses: ['198.51.100.7', '2001:DB8::7'], alias: 'edge.example' }
    expect(lines('@ A 192.0.2.1\n@ MX 10 mail\nmail A 192.0.2.9', 'quay.example', target)).toEqual([
      '- quay.example. A 192.0.2.1',
      '+ quay.example. A 198.51.100.7',
      '+ quay.example. AAAA 2001:db8::7',
    ])
    const plan = planDns(zoneOf('@ A 192.0.2.1'), 'quay.example', 'quay.example', {
      addresses: [],
      alias: 'edge.example',
    })
    expect([plan.changes, plan.notes[0]]).toEqual([[], expect.stringMatching(/CNAME is not allowed.*give addresses/)])
  })
  test('are those of the other name, too, where both lead to the same place', () => {
    expect(lines('@ A 192.0.2.1\nwww A 192.0.2.1', 'quay.example')).toEqual([
      '- quay.example. A 192.0.2.1',
      '- www.quay.example. A 192.0.2.1',
      '+ quay.example. A 198.51.100.7',
      '+ www.quay.example. A 198.51.100.7',
    ])
    expect(lines('@ A 192.0.2.1\nwww CNAME @', 'quay.example')).toEqual([
      '- quay.example. A 192.0.2.1',
      '+ quay.example. A 198.51.100.7',
    ])
    const plan = planDns(zoneOf('@ A 192.0.2.1\nwww A 203.0.113.9'), 'quay.example', 'quay.example', V4)
    expect(plan.changes.some(({ record }) => record.name.startsWith('www'))).toBe(false)
    expect(plan.notes).toEqual([expect.stringMatching(/www\.quay\.example leads elsewhere.*left alone/)])
  })
})

test('what is remembered for long is shortened first, and waited for', () => {
  const records = zoneOf('www 86400 A 192.0.2.1\nwww 60 AAAA 2001:db8::1\nmail 86400 A 192.0.2.9')
  const { lowerFirst, waitS } = planDns(records, 'www.quay.example', 'quay.example', V4)
  expect([lowerFirst.map(({ data }) => data), waitS]).toEqual([['192.0.2.1'], 86_400])
  expect(withShortTtl(records, lowerFirst).map(({ ttl }) => ttl)).toEqual([300, 60, 86_400])
})

test.each([
  ['@ CAA 0 issue "ca.example"', /CAA records say.*ca\.example/],
  ['@ MX 10 www', /Mail goes to www\.quay\.example.*name of its own/],
  ['@ DS 1 8 2 aa', /DNSSEC/],
  ['www HTTPS 1 . alpn=h2', /HTTPS record of www\.quay\.example names the old server/],
  ['www AAAA 2001:db8::1', /visitors with IPv6/],
])('with %j the owner is told: %s', (text, sentence) => {
  const { notes } = planDns(zoneOf(`www A 192.0.2.1\n${text}`), 'www.quay.example', 'quay.example', V4)
  expect(notes.join(' ')).toMatch(sentence)
})

test('the serial number grows, also beyond the largest one (RFC 1982 §3.1), and nothing else does', () => {
  const records = zoneOf('@ SOA ns hostmaster 4294967295 7200 600 3600000 60\nwww A 192.0.2.1')
  expect(withNextSerial(records, 2)).toEqual([
    { ...records[0], data: 'ns.quay.example. hostmaster.quay.example. 1 7200 600 3600000 60' },
    records[1],
  ])
})

test('nothing else in the zone changes, and the way back leads to the zone as it was', () => {
  const name = fc.constantFrom('@', 'www', 'mail', 'shop', '*')
  const line = fc
    .tuple(
      name,
      fc.constantFrom('A 192.0.2.1', 'A 192.0.2.2', 'AAAA 2001:db8::1', 'TXT "x"', 'MX 10 mail', 'CAA 0 issue "a"'),
    )
    .map((parts) => parts.join(' '))
  fc.assert(
    fc.property(
      fc.uniqueArray(line, { maxLength: 15 }),
      fc.constantFrom('quay.example', 'www.quay.example'),
      (all, host) => {
        const records = zoneOf(all.join('\n'))
        const { changes, after } = planDns(records, host, 'quay.example', V4)
        const removed = changes.filter(({ what }) => what === 'remove').map(({ record }) => record)
        const added = changes.filter(({ what }) => what === 'add').map(({ record }) => record)
        const key = (one: DnsRecord): string => JSON.stringify(one)
        expect(
          after
            .filter((one) => !added.includes(one))
            .concat(removed)
            .map(key)
            .toSorted(),
        ).toEqual(records.map(key).toSorted())
        for (const { name: changed } of removed) expect(['quay.example.', 'www.quay.example.']).toContain(changed)
        expect(after.filter((one) => one.name === `${host}.` && one.type === 'A').map(({ data }) => data)).toEqual(
          V4.addresses,
        )
      },
    ),
  )
})

test.each([
  ['quay.example', 'www.quay.example.'],
  ['www.quay.example', 'quay.example.'],
  ['shop.quay.example', 'www.shop.quay.example.'],
])('the other name of %s is %s', (host, sibling) => {
  expect(siblingOf(host, 'quay.example')).toBe(sibling)
})
test('a name outside the zone is no other name', () => expect(siblingOf('www.example', 'www.example')).toBeUndefined())

test.each([
  [['198.51.100.7'], 'new'],
  [['192.0.2.1'], 'old'],
  [['192.0.2.1', '198.51.100.7'], 'both'],
  [[], 'none'],
] as const)('a resolver that says %j sends visitors to the %s place', (addresses, where) => {
  expect(whereTo(addresses, ['192.0.2.1'], ['198.51.100.7'])).toBe(where)
})
