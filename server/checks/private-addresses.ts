import { lookup as systemLookup, type LookupAddress } from 'node:dns'
import { BlockList, isIP, type LookupFunction } from 'node:net'
import { isLocalhostName } from '../../core/http/special-names.ts'

export type PrivateAddresses = 'refused' | 'allowed'

/** Special-purpose addresses that lead into the owner's own networks (RFC 6890 and its registries). */
const SPECIAL = new BlockList()
for (const [net, prefix] of [
  ['0.0.0.0', 8], ['10.0.0.0', 8], ['100.64.0.0', 10], ['127.0.0.0', 8], ['169.254.0.0', 16], ['172.16.0.0', 12],
  ['192.0.0.0', 24], ['192.168.0.0', 16], ['198.18.0.0', 15], ['224.0.0.0', 4], ['240.0.0.0', 4],
] as const)
  SPECIAL.addSubnet(net, prefix, 'ipv4') // prettier-ignore
for (const [net, prefix] of [
  ['::', 128], ['::1', 128], ['64:ff9b:1::', 48], ['fc00::', 7], ['fe80::', 10], ['ff00::', 8],
] as const)
  SPECIAL.addSubnet(net, prefix, 'ipv6') // prettier-ignore

/** Whether an IP address is loopback, private, link-local or otherwise not of the public internet; IPv4 within IPv6 too. */
export const isPrivateAddress = (address: string): boolean => {
  const mapped = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1]
  const plain = mapped ?? address
  const family = isIP(plain)
  return family !== 0 && SPECIAL.check(plain, family === 4 ? 'ipv4' : 'ipv6')
}

/** A host leads into a private network, and the owner has not said that it may. */
export class PrivateAddressRefused extends Error {
  constructor(host: string) {
    super(
      `${host} is on this machine or in a private network. Say that private addresses may be asked, if this is meant.`,
    )
  }
}

/**
 * Name lookup that refuses what leads into a private network. It stands where the connection is made, so that a name cannot mean one
 * address when it is checked and another when it is used.
 */
export const guardedLookup =
  (reach: PrivateAddresses): LookupFunction =>
  (hostname, options, callback) => {
    const done = (error: NodeJS.ErrnoException | null, found: LookupAddress[]): void => {
      if (error !== null) return callback(error, '', 0)
      if (reach === 'refused' && found.some(({ address }) => isPrivateAddress(address)))
        return callback(new PrivateAddressRefused(hostname), '', 0)
      if (options.all === true) return callback(null, found)
      callback(null, found[0]!.address, found[0]!.family)
    }
    if (isLocalhostName(hostname)) return done(null, [{ address: '127.0.0.1', family: 4 }])
    systemLookup(hostname, { ...options, all: true }, done)
  }

/** For hosts that are addresses already, which nobody looks up. @throws PrivateAddressRefused */
export const refusePrivate = (hostname: string, reach: PrivateAddresses): void => {
  const plain = hostname.replace(/^\[|\]$/g, '')
  if (reach === 'refused' && (isPrivateAddress(plain) || isLocalhostName(plain)))
    throw new PrivateAddressRefused(hostname)
}
