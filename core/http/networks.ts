import ipaddr from 'ipaddr.js'

const numberOfBytes = (bytes: readonly number[]): bigint => bytes.reduce((sum, byte) => (sum << 8n) | BigInt(byte), 0n)

/** An address as one number of 128 bits. @returns undefined for what is none */
export const addressNumber = (text: string): bigint | undefined => {
  if (!ipaddr.isValid(text)) return undefined
  const address = ipaddr.parse(text)
  return numberOfBytes(
    (address.kind() === 'ipv4' ? (address as ipaddr.IPv4).toIPv4MappedAddress() : address).toByteArray(),
  )
}

/** The addresses of a network, as numbers. */
export interface Network {
  readonly first: bigint
  readonly last: bigint
}

/** A network in CIDR notation (RFC 4632), or one address. */
export const networkOf = (text: string): Network | undefined => {
  const [base = '', length] = text.split('/')
  const first = addressNumber(base)
  if (first === undefined) return undefined
  const most = base.includes(':') ? 128 : 32
  const bits = length === undefined ? most : /^\d{1,3}$/.test(length) ? Number(length) : Number.NaN
  if (!(bits >= 0 && bits <= most)) return undefined
  const size = 1n << BigInt(most - bits)
  const start = first - (first % size)
  return { first: start, last: start + size - 1n }
}
