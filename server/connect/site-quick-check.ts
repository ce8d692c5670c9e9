import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { QuickCheck, QuickCheckOrder } from '../../core/contracts/quick-check.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { errors } from '../errors/app-errors.ts'
import { getSite, listSites } from '../sites/sites.ts'
import { quickCheck } from './quick-check.ts'

/** Hosts with their ports: another port of a host is another server. Hosts that were added stand for the usual ports. */
const hostsOf = ({ address, liveUrl, trialUrl, liveSecureUrl, hosts }: Site): Set<string> =>
  new Set([...[address, liveUrl, trialUrl, liveSecureUrl].map((url) => new URL(url).host), ...hosts.added])

/**
 * Check an address of a connected site: only its own hosts and those the owner has added are asked.
 * @throws AppError NOT_FOUND, HOST_NOT_NAMED, PRIVATE_ADDRESS, NOT_REACHED
 */
export const checkOfSite = async (
  services: HasDatabase & HasAddresses,
  siteId: string,
  address: string,
): Promise<QuickCheck> => {
  const site = await getSite(services, siteId)
  const hosts = hostsOf(site)
  const { host, hostname } = new URL(address)
  if (!hosts.has(host)) throw errors.hostNotNamed(host)
  // Names that delivery serves here are this machine's by design.
  const isOurs = hostname === site.liveHost || hostname === site.trialHost
  const privateAddresses = isOurs ? 'allowed' : site.hosts.privateAddresses
  return quickCheck({ address, privateAddresses }, hosts)
}

/**
 * Check an address that the owner names, before or besides connecting it. For hosts of a connected site that site's word on private
 * addresses holds.
 */
export const checkNamed = async (services: HasDatabase & HasAddresses, order: QuickCheckOrder): Promise<QuickCheck> => {
  const { host } = new URL(order.address)
  const site = (await listSites(services)).find((one) => hostsOf(one).has(host))
  return site === undefined || order.privateAddresses === 'allowed'
    ? quickCheck(order)
    : checkOfSite(services, site.id, order.address)
}
