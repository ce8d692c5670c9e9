import type { DnsRecord, NameServerComparison } from '../contracts/going-live.ts'

/** Each set of name servers has its own start of authority and its own list of itself (RFC 1035 §3.3.13, §3.3.11). */
const OF_THE_SERVERS = new Set(['SOA', 'NS'])

const setOf = ({ name, type }: DnsRecord): string => `${name} ${type}`
/** Names within data are not told apart by case (RFC 4343); text is. */
const dataOf = ({ type, data }: DnsRecord): string => (type === 'TXT' ? data : data.toLowerCase())

const grouped = (records: readonly DnsRecord[]): Map<string, DnsRecord[]> => {
  const sets = new Map<string, DnsRecord[]>()
  for (const record of records) {
    if (OF_THE_SERVERS.has(record.type)) continue
    const set = sets.get(setOf(record))
    if (set === undefined) sets.set(setOf(record), [record])
    else set.push(record)
  }
  return sets
}

const sameData = (one: readonly DnsRecord[], other: readonly DnsRecord[]): boolean =>
  one.map(dataOf).sort().join('\n') === other.map(dataOf).sort().join('\n')

/**
 * What a change of name servers would change for everybody: records that the new ones lack, tell otherwise, or have besides. Times to live may differ.
 * @param before of the servers that answer now @param after of the servers to come
 */
export const compareRecords = (
  before: readonly DnsRecord[],
  after: readonly DnsRecord[],
): Pick<NameServerComparison, 'missing' | 'different' | 'extra' | 'same'> => {
  const [old, next] = [grouped(before), grouped(after)]
  const shared = [...old].flatMap(([key, was]) => {
    const is = next.get(key)
    return is === undefined ? [] : [{ was, is }]
  })
  return {
    missing: [...old].flatMap(([key, was]) => (next.has(key) ? [] : was)),
    different: shared.filter(({ was, is }) => !sameData(was, is)),
    extra: [...next].flatMap(([key, is]) => (old.has(key) ? [] : is)),
    same: shared.filter(({ was, is }) => sameData(was, is)).length,
  }
}
