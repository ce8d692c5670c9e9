import type { DnsAnswer, DnsPlan, DnsPlanOrder, DnsTarget } from '../../core/contracts/going-live.ts'
import { parseZone, writeZone } from '../../core/formats/zone-file.ts'
import { planDns, withNextSerial } from '../../core/golive/dns-plan.ts'
import type { HasDatabase } from '../db/database.ts'
import { errors } from '../errors/app-errors.ts'
import { siteRow } from '../sites/sites.ts'
import { findRecords, findZone, whoSeesWhat, type DnsIo } from './find-records.ts'

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
