import type { DnsChange, DnsPlan, DnsRecord, DnsTarget } from '../contracts/going-live.ts'

/** While a site moves, nobody is to remember for longer where it was, seconds. */
const SHORT_TTL_S = 300
/** Kinds of records that lead visitors to a host (RFC 1035, RFC 3596, RFC 9460). */
const LEADING = new Set(['A', 'AAAA', 'CNAME', 'HTTPS', 'SVCB', 'DNAME', 'ALIAS', 'ANAME'])

const whole = (name: string): string => (name.endsWith('.') ? name : `${name}.`).toLowerCase()

const isV4 = (address: string): boolean => !address.includes(':')

/** The other name that visitors type: with “www.”, or without. @returns undefined: it would be outside the zone */
export const siblingOf = (host: string, zone: string): string | undefined => {
  const [name, origin] = [whole(host), whole(zone)]
  const sibling = name.startsWith('www.') ? name.slice(4) : `www.${name}`
  return sibling === origin || sibling.endsWith(`.${origin}`) ? sibling : undefined
}

const leadingOf = (records: readonly DnsRecord[], name: string): DnsRecord[] =>
  records.filter((one) => one.name === name && LEADING.has(one.type))

/** Whether two names lead to the same place now. */
const leadsTogether = (records: readonly DnsRecord[], sibling: string, host: string): boolean => {
  const own = leadingOf(records, sibling)
  if (own.some(({ type, data }) => type === 'CNAME' && data === host)) return true
  const addresses = (name: string): string =>
    leadingOf(records, name)
      .map(({ type, data }) => `${type} ${data}`)
      .toSorted()
      .join()
  return own.length > 0 && addresses(sibling) === addresses(host)
}

interface NamePlan {
  readonly remove: readonly DnsRecord[]
  readonly add: readonly DnsRecord[]
  readonly notes: readonly string[]
}

const NOTHING: NamePlan = { remove: [], add: [], notes: [] }

/** Records that a name is to have. */
const wantedOf = (
  records: readonly DnsRecord[],
  name: string,
  zone: string,
  { addresses, alias }: DnsTarget,
): { readonly wanted: DnsRecord[]; readonly notes: string[] } => {
  const others = records.filter((one) => one.name === name && !LEADING.has(one.type))
  const shown = name.slice(0, -1)
  const refusal =
    name === zone
      ? `${shown} is the name of the zone itself, where a CNAME is not allowed (RFC 1034 §3.6.2)`
      : others.length > 0
        ? `${shown} has other records (${[...new Set(others.map(({ type }) => type))].join(', ')}), beside which a CNAME is not allowed (RFC 1034 §3.6.2)`
        : undefined
  if (alias !== null && refusal === undefined)
    return { wanted: [{ name, ttl: SHORT_TTL_S, type: 'CNAME', data: whole(alias) }], notes: [] }
  const wanted = addresses.map((address) => ({
    name,
    ttl: SHORT_TTL_S,
    type: isV4(address) ? 'A' : 'AAAA',
    data: address.toLowerCase(),
  }))
  if (wanted.length > 0 || refusal === undefined) return { wanted, notes: [] }
  return { wanted, notes: [`${refusal}: give addresses, too, so that ${shown} can lead to Zest Lamp.`] }
}

const planName = (records: readonly DnsRecord[], name: string, zone: string, target: DnsTarget): NamePlan => {
  const { wanted, notes } = wantedOf(records, name, zone, target)
  if (wanted.length === 0) return { ...NOTHING, notes }
  const now = leadingOf(records, name)
  const isSame = (a: DnsRecord, b: DnsRecord): boolean => a.type === b.type && a.data === b.data
  const remove = now.filter((one) => !wanted.some((other) => isSame(one, other)))
  const add = wanted.filter((one) => !now.some((other) => isSame(one, other)))
  const shown = name.slice(0, -1)
  const more: string[] = []
  if (remove.some(({ type }) => type === 'AAAA') && !wanted.some(({ type }) => type !== 'A'))
    more.push(
      `${shown} has an address for IPv6 now and would have none: visitors with IPv6 come over IPv4 then, which works. Left as it is, they would go on to your old server.`,
    )
  if (remove.some(({ type }) => type === 'HTTPS' || type === 'SVCB'))
    more.push(`The HTTPS record of ${shown} names the old server; it is removed.`)
  return { remove, add, notes: [...notes, ...more] }
}

const notesOn = (records: readonly DnsRecord[], host: string, zone: string): string[] => {
  const notes: string[] = []
  const issuers = records.filter(({ type, name }) => type === 'CAA' && (name === host || name === zone))
  if (issuers.length > 0)
    notes.push(
      `CAA records say who may issue certificates for ${host.slice(0, -1)}: ${issuers.map(({ data }) => data).join('; ')}. See that your certificate authority is among them.`,
    )
  const mail = records.filter(({ type, name, data }) => type === 'MX' && name === zone && data.endsWith(` ${host}`))
  if (mail.length > 0)
    notes.push(
      `Mail goes to ${host.slice(0, -1)} (MX), which would lead to Zest Lamp. Give the mail server a name of its own first, such as mail.${zone.slice(0, -1)}.`,
    )
  if (records.some(({ type, name }) => (type === 'DS' || type === 'DNSKEY') && name === zone))
    notes.push('The zone is signed (DNSSEC): change it where it is signed, so that the signatures are made anew.')
  return notes
}

/**
 * Which lines of a zone change so that a host leads to Zest Lamp, and its other name with it where the two lead to the same place now.
 * @param records of the zone, whole or as far as they are known
 */
export const planDns = (
  records: readonly DnsRecord[],
  host: string,
  zone: string,
  target: DnsTarget,
): Pick<DnsPlan, 'lowerFirst' | 'waitS' | 'changes' | 'notes'> & { readonly after: DnsRecord[] } => {
  const [name, origin] = [whole(host), whole(zone)]
  const sibling = siblingOf(name, origin)
  const follows = sibling !== undefined && leadsTogether(records, sibling, name)
  // One that is an alias of the host goes where the host goes.
  const isAlias = follows && records.some((one) => one.name === sibling && one.type === 'CNAME' && one.data === name)
  const plans = [name, ...(follows && !isAlias ? [sibling] : [])].map((one) => planName(records, one, origin, target))
  const remove = plans.flatMap((plan) => plan.remove)
  const add = plans.flatMap((plan) => plan.add)
  const changes: DnsChange[] = [
    ...remove.map((record) => ({ what: 'remove' as const, record })),
    ...add.map((record) => ({ what: 'add' as const, record })),
  ]
  const lowerFirst = remove.filter(({ ttl }) => ttl > SHORT_TTL_S)
  const notes = [...plans.flatMap((plan) => plan.notes), ...notesOn(records, name, origin)]
  if (sibling !== undefined && !follows && leadingOf(records, sibling).length > 0)
    notes.push(`${sibling.slice(0, -1)} leads elsewhere than ${name.slice(0, -1)} now, and is left alone.`)
  return {
    lowerFirst,
    waitS: Math.max(0, ...lowerFirst.map(({ ttl }) => ttl)),
    changes,
    notes,
    after: [...records.filter((one) => !remove.includes(one)), ...add],
  }
}

/** The same zone with a short time to live for records that are about to change. */
export const withShortTtl = (records: readonly DnsRecord[], lowerFirst: readonly DnsRecord[]): DnsRecord[] =>
  records.map((one) => (lowerFirst.includes(one) ? { ...one, ttl: SHORT_TTL_S } : one))

/** The same zone, newer: other name servers take over only a zone whose serial number has grown (RFC 1035 §3.3.13, RFC 1982 §3.1). @param by how many changes before it */
export const withNextSerial = (records: readonly DnsRecord[], by: number): DnsRecord[] =>
  records.map((one) => {
    const words = one.data.split(' ')
    const serial = Number(words[2])
    if (one.type !== 'SOA' || words.length !== 7 || !Number.isInteger(serial)) return one
    return { ...one, data: words.with(2, String((serial + by) % 2 ** 32)).join(' ') }
  })

/** Where a resolver sends visitors. @param before addresses as they were @param after as they are to be */
export const whereTo = (
  addresses: readonly string[],
  before: readonly string[],
  after: readonly string[],
): 'new' | 'old' | 'both' | 'none' => {
  const isNew = addresses.some((one) => after.includes(one))
  const isOld = addresses.some((one) => before.includes(one) && !after.includes(one))
  if (isNew && isOld) return 'both'
  return isNew ? 'new' : addresses.length > 0 ? 'old' : 'none'
}
