import type { LookOrder, Sight } from '../../core/contracts/edge-looks.ts'
import type { Proof } from '../../core/golive/steps.ts'
import { lookAsVisitor } from '../../process/look-as-visitor.ts'
import { sentenceForFailure } from '../net/outside-request.ts'

/** RFC 9211: the last member is of the cache nearest to the visitor. */
const isHit = (cacheStatus: string): boolean => /;\s*hit\b/.test(cacheStatus.split(', ').at(-1) ?? '')

export interface ProofOrder extends LookOrder {
  readonly name: string
  /** Certificates of a private authority, PEM. */
  readonly trusted: string | undefined
  /** Removes the home page from every store. */
  readonly purge: () => Promise<unknown>
  /** Who looks; left out: this machine. Undefined where nobody could look. */
  readonly look?: (order: LookOrder) => Promise<Sight | undefined>
}

/** OpenSSL's codes for certificates that nobody vouches for. */
const UNTRUSTED = new Set([
  'DEPTH_ZERO_SELF_SIGNED_CERT',
  'SELF_SIGNED_CERT_IN_CHAIN',
  'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
])

const reasonOf = ({ code, message }: Sight & { kind: 'failed' }, { address, port, host }: ProofOrder): string => {
  if (UNTRUSTED.has(code)) return 'browsers do not trust its certificate'
  if (code === 'ECONNRESET') return `it does not serve ${host}`
  if (code === 'ERR_TLS_CERT_ALTNAME_INVALID') return `its certificate is not for ${host}`
  if (code === '') return message
  const at = address.includes(':') ? `[${address}]` : address
  return sentenceForFailure(Object.assign(new Error(message), { code }), new URL(`https://${at}:${port}/`))
}

class Unproved extends Error {}

/** Ask one address for the site as a signed-out visitor does: certificate, protocol, stored pages, and whether a change shows. */
export const proveAddress = async (order: ProofOrder): Promise<Proof> => {
  const { name, address, port, host, privateAddresses, trusted, purge } = order
  const look = order.look ?? ((wanted: LookOrder) => lookAsVisitor({ ...wanted, trusted }))
  const see = async (): Promise<Sight & { kind: 'answered' }> => {
    const sight = await look({ address, port, host, privateAddresses })
    if (sight === undefined) throw new Unproved('it could not be asked from there')
    if (sight.kind === 'failed') throw new Unproved(reasonOf(sight, order))
    if (sight.status >= 400) throw new Unproved(`it answered with status ${sight.status}`)
    return sight
  }
  const isStoredNow = async (): Promise<boolean> => isHit((await see()).cacheStatus)
  const proof = { name, address, failure: undefined, protocol: 'http/1.1', isStored: false, changesShow: false }
  try {
    const { protocol } = await see()
    const isStored = await isStoredNow()
    await purge()
    const afterPurge = await isStoredNow()
    const changesShow = isStored && !afterPurge && (await isStoredNow())
    return { ...proof, protocol, isStored, changesShow }
  } catch (error) {
    if (error instanceof Unproved) return { ...proof, failure: error.message }
    throw error
  }
}
