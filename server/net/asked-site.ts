import type { Site } from '../../core/contracts/sites.ts'
import { ORIGIN_KEY_FIELD } from '../../core/http/origin-key.ts'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'
import { askOutside, type OutsideAnswer } from './outside-request.ts'

/** Where a site is asked, and by which name. */
export interface AskedSite {
  /** Scheme, host and port of its web server. */
  readonly base: string
  /** Scheme, host and port that the site believes to have; those of the server where it knows no others. */
  readonly named: string
  readonly reach: PrivateAddresses
  /** By which it knows Zest Lamp; null: it asks for none. */
  readonly key: string | null
}

/** A site as it is asked from here. */
export const askedSiteOf = ({
  address,
  publicAddress,
  originKey,
  hosts,
}: Pick<Site, 'address' | 'publicAddress' | 'originKey'> & {
  readonly hosts: Pick<Site['hosts'], 'privateAddresses'>
}): AskedSite => ({
  base: address,
  named: publicAddress ?? address,
  reach: hosts.privateAddresses,
  key: originKey,
})

/** What an origin that asks for it knows Zest Lamp by. */
export const keyField = (key: string | null): Record<string, string> =>
  key === null ? {} : { [ORIGIN_KEY_FIELD]: key }

/** Fields that tell a web server by which name and scheme a visitor came, as delivery tells it (delivery/fetch/origin-request-fields.ts). */
export const namingFields = ({ base, named, key }: Omit<AskedSite, 'reach'>): Record<string, string> => {
  const { host, protocol } = new URL(named)
  if (named === base) return { host, ...keyField(key) }
  return { host, 'x-forwarded-host': host, 'x-forwarded-proto': protocol.slice(0, -1), ...keyField(key) }
}

/**
 * A cookie that no site knows: whoever brings it is answered by the content system, and not by the files of pages that Zest Lamp has written to the
 * server (core/server-rules/page-file-names.ts). For those who want to know what a page is now, or how long it takes to be made.
 */
export const AS_MADE: Readonly<Record<string, string>> = { cookie: 'zest-lamp=as-made' }

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
