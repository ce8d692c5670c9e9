import ipaddr from 'ipaddr.js'
import { isLocalhostName } from './special-names.ts'

/** Whether hosts may be asked that stand in the owner's own networks. */
export type PrivateAddresses = 'refused' | 'allowed'

/** Prefix behind which an IPv4 address is written as one of IPv6 (RFC 6052 §2.1). */
const IPV4_BYTES = 4

/**
 * Whether an IP address is loopback, private, link-local or otherwise not of the public internet (RFC 6890 and its registries); IPv4 within IPv6
 * counts as what is within.
 * @returns false for what is no IP address
 */
export const isPrivateAddress = (address: string): boolean => {
  if (!ipaddr.isValid(address)) return false
  const plain = ipaddr.process(address)
  const range = plain.range()
  if (range === 'rfc6052') return isPrivateAddress(plain.toByteArray().slice(-IPV4_BYTES).join('.'))
  return range !== 'unicast'
}

/** Whether an IP address is one of this machine (RFC 1122 §3.2.1.3, RFC 4291 §2.5.3). */
export const isLoopback = (address: string): boolean =>
  ipaddr.isValid(address) && ipaddr.process(address).range() === 'loopback'

/** Networks that lead nowhere else (RFC 1918, RFC 4193, RFC 6598, link-local), and this machine. */
const OWN_NETWORKS = new Set(['loopback', 'private', 'uniqueLocal', 'linkLocal', 'carrierGradeNat'])

/**
 * Whether what is sent to a host stays on this machine or in a private network, by its address or as a name of this machine. Any other name may lead
 * anywhere.
 */
export const staysInOwnNetwork = (hostname: string): boolean => {
  const plain = hostname.replace(/^\[|\]$/g, '')
  if (isLocalhostName(plain)) return true
  return ipaddr.isValid(plain) && OWN_NETWORKS.has(ipaddr.process(plain).range())
}

/** Whether others could read on the way what is sent to an address: without TLS, beyond one's own network. */
export const isOpenWay = (address: string): boolean => {
  const { protocol, hostname } = new URL(address)
  return protocol === 'http:' && !staysInOwnNetwork(hostname)
}

/** A host leads into a private network, and the owner has not said that it may. */
export class PrivateAddressRefused extends Error {
  override readonly name = 'PrivateAddressRefused'
  constructor(host: string) {
    super(`${host} is on this machine or in a private network. If this is intended, allow private addresses.`)
  }
}

/** For hosts that are addresses already, which nobody looks up. @throws PrivateAddressRefused */
export const refusePrivate = (hostname: string, reach: PrivateAddresses): void => {
  const plain = hostname.replace(/^\[|\]$/g, '')
  if (reach === 'refused' && (isPrivateAddress(plain) || isLocalhostName(plain)))
    throw new PrivateAddressRefused(hostname)
}

interface Found {
  readonly address: string
  readonly family: number
}
type All = (hostname: string, options: object, done: (error: Error | null, found: Found[]) => void) => void
type Answer = (error: Error | null, address: string | Found[], family?: number) => void

/**
 * A name lookup, in the form Node takes it, that refuses what leads into a private network. It stands where the connection is made, so that a name
 * cannot mean one address when it is checked and another when it is used.
 * @param all looks a name up, giving every address
 */
export const guardedLookup =
  (all: All, reach: PrivateAddresses) =>
  (hostname: string, options: { readonly all?: boolean }, callback: Answer): void => {
    const done = (error: Error | null, found: Found[]): void => {
      if (error !== null) return callback(error, '', 0)
      if (reach === 'refused' && found.some(({ address }) => isPrivateAddress(address)))
        return callback(new PrivateAddressRefused(hostname), '', 0)
      if (options.all === true) return callback(null, found)
      const [first] = found
      if (first === undefined) return callback(new Error(`${hostname} has no address.`), '', 0)
      callback(null, first.address, first.family)
    }
    // RFC 6761 §6.3: this machine, also where a resolver does not know it.
    if (isLocalhostName(hostname)) return done(null, [{ address: '127.0.0.1', family: 4 }])
    all(hostname, { ...options, all: true }, done)
  }
