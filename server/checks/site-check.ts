import type { QuickCheck, QuickCheckOrder } from '../../core/contracts/quick-check.ts'
import { errors } from '../errors.ts'
import type { Services } from '../services.ts'
import { getSite, listSites } from '../sites/sites.ts'
import { quickCheck } from './quick-check.ts'

type SiteNames = Pick<Awaited<ReturnType<typeof getSite>>, 'address' | 'liveHost' | 'trialHost' | 'hosts'>

const hostsOf = ({ address, liveHost, trialHost, hosts }: SiteNames): Set<string> =>
  new Set([new URL(address).hostname, liveHost, trialHost, ...hosts.added])

/**
 * Check an address of a connected site: only its own hosts and those the owner has added are asked.
 * @throws AppError NOT_FOUND, HOST_NOT_NAMED, PRIVATE_ADDRESS, NOT_REACHED
 */
export const checkOfSite = async (
  services: Services,
  siteId: string,
  address: string,
): Promise<QuickCheck> => {
  const site = await getSite(services, siteId)
  const hosts = hostsOf(site)
  const { hostname } = new URL(address)
  if (!hosts.has(hostname)) throw errors.hostNotNamed(hostname)
  // Names that delivery serves here are this machine's by design.
  const isOurs = hostname === site.liveHost || hostname === site.trialHost
  const privateAddresses = isOurs ? 'allowed' : site.hosts.privateAddresses
  return quickCheck({ address, privateAddresses }, hosts)
}

/**
 * Check an address that the owner names, before or besides connecting it. For hosts of a connected site that site's word on private
 * addresses holds.
 */
export const checkNamed = async (services: Services, order: QuickCheckOrder): Promise<QuickCheck> => {
  const { hostname } = new URL(order.address)
  const site = (await listSites(services)).find((one) => hostsOf(one).has(hostname))
  return site === undefined || order.privateAddresses === 'allowed'
    ? quickCheck(order)
    : checkOfSite(services, site.id, order.address)
}
