import { connect, type TLSSocket } from 'node:tls'
import { isIP } from 'node:net'
import type { Proof } from '../../core/golive/steps.ts'
import { refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'
import { askOutside, sentenceForFailure } from '../net/outside-request.ts'

const TIMEOUT_MS = 10_000
/** RFC 9211: the last member is of the cache nearest to the visitor. */
const isHit = (cacheStatus: string): boolean => /;\s*hit\b/.test(cacheStatus.split(', ').at(-1) ?? '')

export interface ProofOrder {
  readonly name: string
  readonly address: string
  /** Of HTTPS there. */
  readonly port: number
  readonly host: string
  readonly privateAddresses: PrivateAddresses
  /** Certificates of a private authority, PEM. */
  readonly trusted: string | undefined
  /** Removes the home page from every store. */
  readonly purge: () => Promise<unknown>
}

/** Speak TLS with an address as a browser does, by the site's name. @returns the protocol that was agreed on @throws Error when the certificate is not trusted */
const protocolOf = ({ address, port, host, trusted }: ProofOrder): Promise<string> =>
  new Promise((resolve, reject) => {
    const socket: TLSSocket = connect({
      host: address,
      port,
      ...(isIP(host) === 0 ? { servername: host } : {}),
      ALPNProtocols: ['h2', 'http/1.1'],
      ...(trusted === undefined ? {} : { ca: trusted }),
      timeout: TIMEOUT_MS,
    })
    socket.once('secureConnect', () => {
      const protocol = socket.alpnProtocol === false || socket.alpnProtocol === null ? 'http/1.1' : socket.alpnProtocol
      socket.destroy()
      resolve(protocol)
    })
    socket.once('timeout', () => socket.destroy(new Error('it did not answer in time')))
    socket.once('error', reject)
  })

/** Ask one address for the site as a signed-out visitor does: certificate, protocol, stored pages, and whether a change shows. */
export const proveAddress = async (order: ProofOrder): Promise<Proof> => {
  const { name, address, port, host, privateAddresses, trusted, purge } = order
  const proof = { name, address, failure: undefined, protocol: 'http/1.1', isStored: false, changesShow: false }
  const at = address.includes(':') ? `[${address}]` : address
  const url = `https://${at}:${port}/`
  const ask = async (): Promise<string> => {
    const answer = await askOutside(url, {
      reach: privateAddresses,
      trusted,
      servername: host,
      fields: { host },
      timeoutMs: TIMEOUT_MS,
    })
    if (answer.status >= 400) throw new Error(`it answered with status ${answer.status}`)
    return answer.fields.get('cache-status') ?? ''
  }
  try {
    refusePrivate(address, privateAddresses)
    const protocol = await protocolOf(order)
    await ask()
    const isStored = isHit(await ask())
    await purge()
    const afterPurge = isHit(await ask())
    const changesShow = isStored && !afterPurge && isHit(await ask())
    return { ...proof, protocol, isStored, changesShow }
  } catch (error) {
    return { ...proof, failure: reasonOf(error as NodeJS.ErrnoException, new URL(url), host) }
  }
}

/** OpenSSL's codes for certificates that nobody vouches for. */
const UNTRUSTED = new Set([
  'DEPTH_ZERO_SELF_SIGNED_CERT',
  'SELF_SIGNED_CERT_IN_CHAIN',
  'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
])

const reasonOf = (error: NodeJS.ErrnoException, url: URL, host: string): string => {
  if (UNTRUSTED.has(error.code ?? '')) return 'browsers do not trust its certificate'
  if (error.code === 'ECONNRESET') return `it does not serve ${host}`
  if (error.code === 'ERR_TLS_CERT_ALTNAME_INVALID') return `its certificate is not for ${host}`
  if (error.code === undefined) return error.message
  return sentenceForFailure(error, url)
}
