import { request } from 'node:https'
import { isIP } from 'node:net'
import { connect, type TLSSocket } from 'node:tls'
import type { RemoteCheckOrder, RemoteCheckResult } from '../core/contracts/remote-checks.ts'
import { refusePrivate } from '../core/http/private-addresses.ts'
import { guardedLookup } from './guarded-lookup.ts'

const TIMEOUT_MS = 10_000
/** RFC 7301: what browsers offer. */
const OFFERED = ['h2', 'http/1.1']

/** How the certificate is judged. @param trusted certificates of a private authority, PEM; undefined: those that this machine trusts */
interface Judged extends RemoteCheckOrder {
  readonly trusted?: string | undefined
}

const reachOf = ({ address, port, host, privateAddresses, trusted }: Judged) => ({
  host: address,
  port,
  lookup: guardedLookup(privateAddresses),
  ...(isIP(host) === 0 ? { servername: host } : {}),
  ...(trusted === undefined ? {} : { ca: trusted }),
  timeout: TIMEOUT_MS,
})

const silence = (): Error => Object.assign(new Error('timeout'), { code: 'ETIMEDOUT' })

/** Speak TLS as a browser does, by the site's name. @throws Error when the certificate is not trusted */
const protocolOf = (order: Judged): Promise<'h2' | 'http/1.1'> =>
  new Promise((resolve, reject) => {
    const socket: TLSSocket = connect({ ...reachOf(order), ALPNProtocols: OFFERED })
    socket.once('secureConnect', () => {
      resolve(socket.alpnProtocol === 'h2' ? 'h2' : 'http/1.1')
      socket.destroy()
    })
    socket.once('timeout', () => socket.destroy(silence()))
    socket.on('error', reject)
  })

interface Answer {
  readonly status: number
  readonly cacheStatus: string
}

/** Ask for the home page, and read it to its end. */
const askHome = (order: Judged): Promise<Answer> =>
  new Promise((resolve, reject) => {
    const asked = request({
      ...reachOf(order),
      path: '/',
      agent: false,
      headers: { host: order.host, 'user-agent': 'zest-lamp', accept: 'text/html,*/*' },
    })
    const timer = setTimeout(() => asked.destroy(silence()), TIMEOUT_MS)
    asked.once('close', () => clearTimeout(timer))
    asked.on('error', reject)
    asked.once('response', (incoming) => {
      const cacheStatus = String(incoming.headers['cache-status'] ?? '').slice(0, 4000)
      incoming.once('end', () => resolve({ status: incoming.statusCode ?? 0, cacheStatus }))
      incoming.on('error', reject)
      incoming.resume()
    })
    asked.end()
  })

/** Ask for the home page of a site as a signed-out visitor does, at one address: the certificate, the protocol, and where the answer came from. */
export const checkAsVisitor = async (order: Judged): Promise<RemoteCheckResult> => {
  try {
    refusePrivate(order.address, order.privateAddresses)
    const protocol = await protocolOf(order)
    return { kind: 'answered', protocol, ...(await askHome(order)) }
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    return { kind: 'failed', code: code ?? '', message: message.slice(0, 500) }
  }
}
