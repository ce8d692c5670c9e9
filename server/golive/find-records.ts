import { getServers } from 'node:dns'
import type { DnsAnswer, DnsRecord } from '../../core/contracts/going-live.ts'
import { refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'
import { whereTo } from '../../core/golive/dns-plan.ts'
import { askNameServer, type AskedType, type NameServer } from './ask-name-server.ts'

/** What a zone usually has beside the site; others may exist, which nobody can be asked for. */
const USUAL_NAMES = [
  ...['', 'www', 'mail', 'smtp', 'imap', 'pop', 'webmail', 'autodiscover', 'autoconfig', 'ftp', 'shop', 'blog', 'api'],
  ...['m', 'cdn', 'static', 'img', 'dev', 'staging', 'test', '_dmarc', 'default._domainkey', '_acme-challenge', '*'],
]
const TYPES_OF_ZONE: readonly AskedType[] = ['SOA', 'NS', 'A', 'AAAA', 'MX', 'TXT', 'CAA']
const TYPES_OF_NAME: readonly AskedType[] = ['CNAME', 'A', 'AAAA', 'TXT', 'MX']
const AT_ONCE = 8
/** Types whose data ends with a name. */
const LEADS_ON = new Set(['NS', 'MX', 'CNAME', 'SRV'])
const PORT = 53

/** @param text an address, with its port where it is another than 53: 192.0.2.1:5353, [2001:db8::1]:5353 */
export const parseNameServer = (text: string): NameServer => {
  const match = /^\[?([^\]]+?)\]?(?::(\d+))?$/.exec(text.trim())
  const bare = text.includes(']') || text.split(':').length === 2
  return bare && match !== null
    ? { address: match[1] ?? text, port: Number(match[2] ?? PORT) }
    : { address: text.trim(), port: PORT }
}

export interface DnsIo {
  /** Asked in place of the zone's own servers and of this machine's; none: those. */
  readonly nameServers: readonly string[]
}

const ownResolvers = ({ nameServers }: DnsIo): NameServer[] =>
  (nameServers.length > 0 ? nameServers : getServers()).map(parseNameServer)

/** One that has not answered so often is not asked again: each time costs seconds. */
const MOST_FAILURES = 2

/** Asks several servers, each in place of the one before that gives no answer. */
class Askers {
  readonly #servers: readonly NameServer[]
  readonly #failures = new Map<NameServer, number>()

  constructor(servers: readonly NameServer[]) {
    this.#servers = servers
  }

  /** @throws the error of the last one */
  async ask(name: string, type: AskedType): Promise<DnsRecord[]> {
    let last: unknown = new Error('no name server answers')
    for (const server of this.#servers) {
      const failures = this.#failures.get(server) ?? 0
      if (failures >= MOST_FAILURES) continue
      try {
        return await askNameServer(server, name, type)
      } catch (error) {
        this.#failures.set(server, failures + 1)
        last = error
      }
    }
    throw last
  }
}

/** The zone that a host is in, and its name servers. @throws Error with a sentence: there is none */
export const findZone = async (
  io: DnsIo,
  host: string,
  reach: PrivateAddresses,
): Promise<{ zone: string; servers: NameServer[] }> => {
  const resolvers = ownResolvers(io)
  const askers = new Askers(resolvers)
  const labels = host.split('.')
  for (let from = 0; from < labels.length - 1; from++) {
    const zone = labels.slice(from).join('.')
    const found = await askers.ask(zone, 'NS').catch(() => [])
    const names = found.filter(({ type, name }) => type === 'NS' && name === `${zone}.`).map(({ data }) => data)
    if (names.length === 0) continue
    if (io.nameServers.length > 0) return { zone, servers: resolvers }
    const addresses = await Promise.all(names.map((name) => askers.ask(name, 'A').catch(() => [])))
    const servers = addresses.flat().flatMap(({ type, data }) => (type === 'A' ? [{ address: data, port: PORT }] : []))
    // Whoever holds the zone says where its servers are.
    for (const { address } of servers) refusePrivate(address, reach)
    return { zone, servers: servers.length > 0 ? servers : resolvers }
  }
  throw new Error(`No name server is known for ${host}. Check the name, or give the zone as a file.`)
}

/** Addresses of a host, as this machine's resolvers know them. */
export const addressesOf = async (io: DnsIo, host: string): Promise<string[]> => {
  const askers = new Askers(ownResolvers(io))
  const found = await Promise.all((['A', 'AAAA'] as const).map((type) => askers.ask(host, type).catch(() => [])))
  return found.flat().flatMap(({ type, data }) => (type === 'A' || type === 'AAAA' ? [data] : []))
}

/** Records of a zone, as far as asking finds them. @param more names to ask for, whole or within the zone */
export const findRecords = async (
  servers: readonly NameServer[],
  zone: string,
  host: string,
  more: readonly string[],
): Promise<{ records: DnsRecord[]; problems: string[] }> => {
  const within = (name: string): string => {
    const bare = name.toLowerCase().replace(/\.$/, '')
    if (bare === '') return zone
    return bare === zone || bare.endsWith(`.${zone}`) ? bare : `${bare}.${zone}`
  }
  const askers = new Askers(servers)
  const found = new Map<string, DnsRecord>()
  const silent = new Set<string>()
  const asked = new Set<string>()
  const askFor = async (names: readonly string[]): Promise<void> => {
    const questions = [...new Set(names)]
      .filter((name) => !asked.has(name))
      .flatMap((name) => (name === zone ? TYPES_OF_ZONE : TYPES_OF_NAME).map((type) => ({ name, type })))
    for (const { name } of questions) asked.add(name)
    const work = async (): Promise<void> => {
      for (let next = questions.pop(); next !== undefined; next = questions.pop()) {
        const { name, type } = next
        const records = await askers.ask(name, type).catch((error: Error) => {
          silent.add(`${name} (${error.message})`)
          return []
        })
        for (const record of records)
          if (record.name === `${name}.`) found.set(`${record.name} ${record.type} ${record.data}`, record)
      }
    }
    await Promise.all(Array.from({ length: AT_ONCE }, work))
  }
  await askFor([host, ...USUAL_NAMES, ...more].map(within))
  // What these lead to within the zone, too.
  const targets = [...found.values()].flatMap(({ type, data }) =>
    LEADS_ON.has(type) ? [data.split(' ').at(-1) ?? ''] : [],
  )
  await askFor(targets.filter((name) => name.endsWith(`.${zone}.`)).map(within))
  const order = (one: DnsRecord): string => `${one.name.split('.').toReversed().join('.')} ${one.type} ${one.data}`
  return {
    records: [...found.values()].toSorted((a, b) => order(a).localeCompare(order(b))),
    problems: [...silent].slice(0, 5).map((one) => `No answer for ${one}.`),
  }
}

/** What the zone's servers and this machine's resolvers say of a host now. */
export const whoSeesWhat = async (
  io: DnsIo,
  servers: readonly NameServer[],
  host: string,
  before: readonly string[],
  after: readonly string[],
): Promise<DnsAnswer[]> => {
  const all = new Map([...servers, ...ownResolvers(io)].map((one) => [`${one.address}:${one.port}`, one]))
  return Promise.all(
    [...all.values()].map(async (server): Promise<DnsAnswer> => {
      const resolver = server.port === PORT ? server.address : `${server.address}:${server.port}`
      const answers = await Promise.allSettled(
        (['A', 'AAAA'] as const).map((type) => askNameServer(server, host, type)),
      )
      const records = answers.flatMap((one) => (one.status === 'fulfilled' ? one.value : []))
      const leading = records.filter(({ type }) => type === 'A' || type === 'AAAA')
      const addresses = leading.map(({ data }) => data)
      if (answers.every(({ status }) => status === 'rejected'))
        return { resolver, addresses, ttl: null, state: 'silent' }
      const ttl = records.length === 0 ? null : Math.min(...records.map((one) => one.ttl))
      return { resolver, addresses, ttl, state: whereTo(addresses, before, after) }
    }),
  )
}
