import { isIP } from 'node:net'
import type {
  DnsAnswer,
  DnsPlan,
  DnsPlanOrder,
  DnsTarget,
  NameServerComparison,
  NameServerOrder,
} from '../../core/contracts/going-live.ts'
import { parseZone, writeZone } from '../../core/formats/zone-file.ts'
import { compareRecords } from '../../core/golive/compare-records.ts'
import { PrivateAddressRefused, refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'
import { planDns, withNextSerial } from '../../core/golive/dns-plan.ts'
import type { HasDatabase } from '../db/database.ts'
import { errors } from '../errors/app-errors.ts'
import { siteRow } from '../sites/sites.ts'
import type { NameServer } from './ask-name-server.ts'
import { addressesOf, findRecords, findZone, parseNameServer, whoSeesWhat, type DnsIo } from './find-records.ts'

/** For whoever asks name servers. */
export interface HasDns {
  readonly dns: DnsIo
}

/** The zone of a host as the owner says it: the start of authority in the file tells its name where nobody does. */
const zoneInFile = (host: string, order: DnsPlanOrder, text: string) => {
  const told = order.zone?.replace(/\.$/, '') ?? host.replace(/^www\./, '')
  const first = parseZone(text, told)
  const named = first.records.find(({ type }) => type === 'SOA')?.name.slice(0, -1)
  const zone = order.zone === null && named !== undefined ? named : told
  const { records, problems } = zone === told ? first : parseZone(text, zone)
  if (records.length === 0)
    throw errors.badZone(
      problems[0] === undefined ? 'There is no record in it.' : `Line ${problems[0].line}: ${problems[0].sentence}`,
    )
  return { zone, records, problems: problems.map(({ line, sentence }) => `Line ${line}: ${sentence}`) }
}

/** Which lines of its zone change so that the live host of a site leads to Zest Lamp. @throws AppError NOT_FOUND, BAD_ZONE */
export const dnsPlan = async (
  { db, dns }: HasDatabase & HasDns,
  siteId: string,
  order: DnsPlanOrder,
): Promise<DnsPlan> => {
  const { liveHost, hosts } = await siteRow(db, siteId)
  const isWhole = order.zoneFile !== null
  const asked = async () => {
    const { zone, servers } = await findZone(dns, liveHost, hosts.privateAddresses).catch((error: Error) => {
      throw errors.badZone(error.message)
    })
    return { zone, ...(await findRecords(servers, zone, liveHost, order.moreNames)) }
  }
  const { zone, records, problems } =
    order.zoneFile === null ? await asked() : zoneInFile(liveHost, order, order.zoneFile)
  if (liveHost !== zone && !liveHost.endsWith(`.${zone}`))
    throw errors.badZone(`${liveHost} is not in the zone ${zone}. Give the zone of this host.`)
  const { after, ...plan } = planDns(records, liveHost, zone, order)
  return {
    zone,
    records: [...records],
    isWhole,
    problems,
    ...plan,
    // In the order in which they are used: each is newer than the one before.
    zoneFile: writeZone(withNextSerial(after, 2), zone),
    zoneFileBefore: writeZone(withNextSerial(records, 3), zone),
  }
}

/** Who sends visitors where. @throws AppError NOT_FOUND, BAD_ZONE */
export const dnsAnswers = async (
  { db, dns }: HasDatabase & HasDns,
  siteId: string,
  { addresses }: DnsTarget,
): Promise<DnsAnswer[]> => {
  const { liveHost, hosts } = await siteRow(db, siteId)
  const { servers } = await findZone(dns, liveHost, hosts.privateAddresses).catch((error: Error) => {
    throw errors.badZone(error.message)
  })
  return whoSeesWhat(dns, servers, liveHost, [], addresses)
}

/** Servers that the owner names, by address or by name. @throws AppError BAD_ZONE when one is not known */
const namedServers = async (dns: DnsIo, names: readonly string[], reach: PrivateAddresses): Promise<NameServer[]> => {
  const servers = await Promise.all(
    names.map(async (name): Promise<NameServer[]> => {
      const server = parseNameServer(name)
      if (isIP(server.address) !== 0) return [server]
      const addresses = await addressesOf(dns, server.address)
      return addresses.map((address) => ({ address, port: server.port }))
    }),
  )
  const all = servers.flat()
  if (all.length === 0) throw errors.badZone(`Nobody knows an address of ${names.join(' or ')}. Check the names.`)
  for (const { address } of all) refusePrivate(address, reach)
  return all
}

/** What a change to other name servers would change: every record that is known on either side. @throws AppError NOT_FOUND, BAD_ZONE */
export const compareNameServers = async (
  { db, dns }: HasDatabase & HasDns,
  siteId: string,
  { servers: names, moreNames }: NameServerOrder,
): Promise<NameServerComparison> => {
  const { liveHost, hosts } = await siteRow(db, siteId)
  const { zone, servers } = await findZone(dns, liveHost, hosts.privateAddresses).catch((error: Error) => {
    throw errors.badZone(error.message)
  })
  const next = await namedServers(dns, names, hosts.privateAddresses).catch((error: unknown) => {
    throw error instanceof PrivateAddressRefused ? errors.badZone(error.message) : error
  })
  const before = await findRecords(servers, zone, liveHost, moreNames)
  // Names that were found on one side are asked for on the other.
  const after = await findRecords(next, zone, liveHost, [...moreNames, ...before.records.map(({ name }) => name)])
  return {
    zone,
    ...compareRecords(before.records, after.records),
    problems: [...before.problems, ...after.problems],
  }
}
