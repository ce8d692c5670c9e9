import type { PrivateAddresses } from '../../core/http/private-addresses.ts'
import { askOutside, type OutsideAnswer } from './outside-request.ts'

/** Where a site is asked, and by which name. */
export interface AskedSite {
  /** Scheme, host and port of its web server. */
  readonly base: string
  /** Scheme, host and port that the site believes to have; those of the server where it knows no others. */
  readonly named: string
  readonly reach: PrivateAddresses
}

/** Fields that tell a web server by which name and scheme a visitor came, as delivery tells it (delivery/fetch/origin-request-fields.ts). */
export const namingFields = ({ base, named }: Pick<AskedSite, 'base' | 'named'>): Record<string, string> => {
  const { host, protocol } = new URL(named)
  if (named === base) return { host }
  return { host, 'x-forwarded-host': host, 'x-forwarded-proto': protocol.slice(0, -1) }
}

/**
 * Ask the web server of a site for an address of the site, whatever name the address has there.
 * @throws OutsideFailure
 */
export const askSite = (
  site: AskedSite,
  address: string,
  fields: Record<string, string> = {},
  mostBytes?: number,
): Promise<OutsideAnswer> => {
  const { pathname, search } = new URL(address, site.named)
  return askOutside(site.base + pathname + search, {
    fields: { ...fields, ...namingFields(site) },
    reach: site.reach,
    ...(mostBytes === undefined ? {} : { mostBytes }),
  })
}
