import type { RemoteCheckOrder, RemoteCheckResult } from '../../core/contracts/remote-checks.ts'
import type { Proof } from '../../core/golive/steps.ts'
import { checkAsVisitor } from '../../process/check-as-visitor.ts'
import { sentenceForFailure } from '../net/outside-request.ts'

/** RFC 9211: the last member is of the cache nearest to the visitor. */
const isHit = (cacheStatus: string): boolean => /;\s*hit\b/.test(cacheStatus.split(', ').at(-1) ?? '')

export interface ProofOrder extends RemoteCheckOrder {
  readonly name: string
  /** Certificates of a private authority, PEM. */
  readonly trusted: string | undefined
  /** Removes the home page from every store. */
  readonly purge: () => Promise<unknown>
  /** Who asks; left out: this machine. Undefined where nobody could. */
  readonly check?: (order: RemoteCheckOrder) => Promise<RemoteCheckResult | undefined>
}

/** OpenSSL's codes for certificates that nobody vouches for. */
const UNTRUSTED = new Set([
  'DEPTH_ZERO_SELF_SIGNED_CERT',
  'SELF_SIGNED_CERT_IN_CHAIN',
  'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
])

const reasonOf = (
  { code, message }: RemoteCheckResult & { kind: 'failed' },
  { address, port, host }: ProofOrder,
): string => {
  if (UNTRUSTED.has(code)) return 'browsers do not trust its certificate'
  if (code === 'CERT_HAS_EXPIRED') return 'its certificate has expired'
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
  const check = order.check ?? ((wanted: RemoteCheckOrder) => checkAsVisitor({ ...wanted, trusted }))
  const ask = async (): Promise<RemoteCheckResult & { kind: 'answered' }> => {
    const result = await check({ address, port, host, privateAddresses })
    if (result === undefined) throw new Unproved('no result came from there')
    if (result.kind === 'failed') throw new Unproved(reasonOf(result, order))
    if (result.status >= 400) throw new Unproved(`it answered with status ${result.status}`)
    return result
  }
  const isStoredNow = async (): Promise<boolean> => isHit((await ask()).cacheStatus)
  const proof = { name, address, failure: undefined, protocol: 'http/1.1', isStored: false, changesShow: false }
  try {
    const { protocol } = await ask()
    const isStored = await isStoredNow()
    await purge().catch((error: Error) => {
      throw new Unproved(error.message)
    })
    const afterPurge = await isStoredNow()
    const changesShow = isStored && !afterPurge && (await isStoredNow())
    return { ...proof, protocol, isStored, changesShow }
  } catch (error) {
    if (error instanceof Unproved) return { ...proof, failure: error.message }
    throw error
  }
}
