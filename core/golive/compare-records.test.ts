import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { DnsRecord } from '../contracts/going-live.ts'
import { compareRecords } from './compare-records.ts'

const record = (name: string, type: string, data: string, ttl = 600): DnsRecord => ({ name, ttl, type, data })
const A = record('quay.example.', 'A', '192.0.2.1')
const MX = record('quay.example.', 'MX', '10 Mail.quay.example.')
const TXT = record('quay.example.', 'TXT', '"v=spf1 mx -all"')

describe('a change of name servers', () => {
  test('of the same records changes nothing, whatever their times, their case and the servers’ own', () => {
    const before = [A, MX, record('quay.example.', 'NS', 'a.old.example.'), record('quay.example.', 'SOA', 'a 1')]
    const after = [
      record('quay.example.', 'NS', 'b.new.example.'),
      { ...MX, data: MX.data.toLowerCase(), ttl: 60 },
      { ...A, ttl: 60 },
    ]
    expect(compareRecords(before, after)).toEqual({ missing: [], different: [], extra: [], same: 2 })
  })
  test('shows what is missing, different and besides', () => {
    const moved = { ...A, data: '198.51.100.7' }
    const www = record('www.quay.example.', 'CNAME', 'quay.example.')
    expect(compareRecords([A, MX, TXT], [moved, TXT, www])).toEqual({
      missing: [MX],
      different: [{ was: [A], is: [moved] }],
      extra: [www],
      same: 1,
    })
  })
  test('tells texts apart by case, and several records of one name as a set', () => {
    const second = { ...A, data: '192.0.2.2' }
    expect(compareRecords([A, second], [second, A]).same).toBe(1)
    expect(compareRecords([A, second], [A]).different).toHaveLength(1)
    expect(compareRecords([TXT], [{ ...TXT, data: TXT.data.toUpperCase() }]).different).toHaveLength(1)
  })
  test('back again shows the same the other way round', () => {
    const any = fc.array(
      fc
        .tuple(fc.constantFrom('a.', 'b.', 'c.'), fc.constantFrom('A', 'TXT', 'MX'), fc.constantFrom('1', '2', '3'))
        .map(([name, type, data]) => record(name, type, data)),
      { maxLength: 12 },
    )
    fc.assert(
      fc.property(any, any, (one, other) => {
        const [there, back] = [compareRecords(one, other), compareRecords(other, one)]
        expect([back.missing, back.extra, back.same]).toEqual([there.extra, there.missing, there.same])
        expect(back.different.length).toBe(there.different.length)
      }),
    )
  })
})
