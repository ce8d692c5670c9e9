import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { LoggedVisits, placeOfAddress, readNetworks } from './logged-audience.ts'

/** Networks for documentation: RFC 5737, RFC 3849. */
const TABLE = `network,name,latitude,longitude
198.51.100.0/24,Orrin,57.1,-7.2
198.51.100.128/25,Merrick,56.4,-5.5
203.0.113.7,Skerry,58.2,-6.4
2001:db8::/32,Merrick,56.4,-5.5
2001:db8:a::/48,Orrin,57.1,-7.2
`
const line = (address: string, request = 'GET /timetable HTTP/1.1', status = 200): string =>
  `${address} - - [10/Oct/2026:13:55:36 +0000] "${request}" ${status} 512 "-" "Mozilla/5.0"`

describe('a table of networks', () => {
  const table = readNetworks(TABLE)
  test.each([
    ['198.51.100.1', 'Orrin'],
    ['198.51.100.127', 'Orrin'],
    ['198.51.100.128', 'Merrick'],
    ['198.51.100.255', 'Merrick'],
    ['198.51.101.0', undefined],
    ['203.0.113.7', 'Skerry'],
    ['203.0.113.8', undefined],
    ['2001:db8::1', 'Merrick'],
    ['2001:db8:a:ffff::1', 'Orrin'],
    ['2001:db8:b::1', 'Merrick'],
    ['::ffff:203.0.113.7', 'Skerry'],
    ['not an address', undefined],
    ['', undefined],
  ])('%s is in %s', (address, name) => {
    expect(placeOfAddress(table, address)?.name).toBe(name)
  })
  test('the smallest network that holds an address says where it is, whatever the order of the lines', () => {
    const networks = fc.uniqueArray(
      fc.record({ base: fc.integer({ min: 0, max: 255 }), bits: fc.integer({ min: 24, max: 32 }) }),
      { maxLength: 12, selector: ({ base, bits }) => `${(base >> (32 - bits)) << (32 - bits)}/${bits}` },
    )
    fc.assert(
      fc.property(networks, fc.integer({ min: 0, max: 255 }), (some, last) => {
        const sized = some.map(({ base, bits }) => ({ first: (base >> (32 - bits)) << (32 - bits), bits }))
        const lines = sized.map(({ first, bits }) => `192.0.2.${first}/${bits},${first}/${bits},0,0`)
        const found = placeOfAddress(
          readNetworks(['network,name,latitude,longitude', ...lines].join('\n')),
          `192.0.2.${last}`,
        )
        const [smallest] = sized
          .filter(({ first, bits }) => last >= first && last < first + 2 ** (32 - bits))
          .toSorted((a, b) => b.bits - a.bits)
        expect(found?.name).toBe(smallest === undefined ? undefined : `${smallest.first}/${smallest.bits}`)
      }),
    )
  })
  test('what cannot be read is named by its line, and the rest is used', () => {
    const { problems, places } = readNetworks(
      'network,name,latitude,longitude\n10.0.0.0/33,A,0,0\nharbour,B,0,0\n10.0.0.0/8,C,north,0\n10.0.0.0/8,D,1,2\n',
    )
    expect(problems).toEqual([
      'Line 2: "10.0.0.0/33" is no network.',
      'Line 3: "harbour" is no network.',
      'Line 4: the place cannot be read.',
    ])
    expect(places.map(({ name }) => name)).toEqual(['D'])
    expect(readNetworks('net,place\n').problems[0]).toMatch(/no column network, name, latitude, longitude/)
  })
})

describe('the audience of an access log', () => {
  test('is visits of pages by place, most first; files, errors and forms are none', () => {
    const lines = [
      line('198.51.100.1'),
      line('198.51.100.2'),
      line('2001:db8::1'),
      line('203.0.113.99'),
      line('198.51.100.1', 'GET /style.css HTTP/1.1'),
      line('198.51.100.1', 'POST /order HTTP/1.1'),
      line('198.51.100.1', 'GET /gone HTTP/1.1', 404),
      'something else',
      '',
    ]
    const visits = new LoggedVisits(readNetworks(TABLE))
    for (const one of lines) visits.add(one)
    expect(visits.result()).toEqual({
      audience: [
        { place: { name: 'Orrin', latitude: 57.1, longitude: -7.2 }, share: 2 },
        { place: { name: 'Merrick', latitude: 56.4, longitude: -5.5 }, share: 1 },
      ],
      visits: 4,
      unplaced: 1,
      notUnderstood: 1,
    })
  })
})
