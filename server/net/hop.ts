import { request as httpRequest, type IncomingMessage } from 'node:http'
import { connect as h2Connect, constants } from 'node:http2'
import { connect as tcpConnect, type Socket } from 'node:net'
import { connect as tlsConnect, type TLSSocket } from 'node:tls'
import { fieldsFromRaw } from '../../core/http/fields.ts'
import type { QuickCheckHop } from '../../core/contracts/quick-check.ts'
import { guardedLookup } from '../../process/guarded-lookup.ts'
import { refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'

/** An answer with its body as sent. */
export interface HopAnswer {
  readonly hop: QuickCheckHop
  readonly body: Buffer
}

const MOST_BYTES = 8 * 1024 * 1024

interface Opened {
  readonly socket: Socket | TLSSocket
  readonly protocol: 'h2' | 'http/1.1'
  readonly lookupMs: number
  readonly connectMs: number
  readonly tlsMs: number
  readonly certificate: string | null
}

const open = (url: URL, reach: PrivateAddresses, signal: AbortSignal): Promise<Opened> =>
  new Promise((resolve, reject) => {
    refusePrivate(url.hostname, reach)
    const secure = url.protocol === 'https:'
    const begun = performance.now()
    let lookedUp = begun
    const tcp = tcpConnect({
      host: url.hostname.replace(/^\[|\]$/g, ''),
      port: Number(url.port || (secure ? 443 : 80)),
      lookup: guardedLookup(reach),
    })
    const fail = (error: Error): void => {
      tcp.destroy()
      reject(error)
    }
    signal.addEventListener('abort', () => fail(Object.assign(new Error('timeout'), { code: 'ETIMEDOUT' })))
    tcp.once('error', fail)
    tcp.once('lookup', () => (lookedUp = performance.now()))
    tcp.once('connect', () => {
      const connected = performance.now()
      const times = { lookupMs: lookedUp - begun, connectMs: connected - lookedUp }
      if (!secure) return resolve({ socket: tcp, protocol: 'http/1.1', ...times, tlsMs: 0, certificate: null })
      const servername = /^[\d.[\]:]+$/.test(url.hostname) ? undefined : url.hostname
      // What is asked for is shown to the owner only; a certificate that does not hold is one of the things to be seen.
      const tls = tlsConnect({
        socket: tcp,
        ALPNProtocols: ['h2', 'http/1.1'],
        rejectUnauthorized: false,
        ...(servername === undefined ? {} : { servername }),
      })
      tls.once('error', fail)
      tls.once('secureConnect', () =>
        resolve({
          socket: tls,
          protocol: tls.alpnProtocol === 'h2' ? 'h2' : 'http/1.1',
          ...times,
          tlsMs: performance.now() - connected,
          certificate: tls.authorized ? null : String(tls.authorizationError?.message ?? tls.authorizationError),
        }),
      )
    })
  })

const collect = (stream: NodeJS.ReadableStream): Promise<Buffer> =>
  new Promise((resolve, reject) => {
    const chunks: Buffer[] = []
    let size = 0
    stream.on('data', (chunk: Buffer) => {
      size += chunk.length
      if (size <= MOST_BYTES) chunks.push(chunk)
      else resolve(Buffer.concat(chunks))
    })
    stream.on('end', () => resolve(Buffer.concat(chunks)))
    stream.on('error', reject)
  })

interface Answered {
  readonly status: number
  readonly protocol: string
  readonly fields: [string, string][]
  readonly waitMs: number
  readonly body: Buffer
}

const askHttp1 = (url: URL, socket: Socket, fields: Record<string, string>): Promise<Answered> =>
  new Promise((resolve, reject) => {
    const begun = performance.now()
    const outgoing = httpRequest({
      createConnection: () => socket,
      method: 'GET',
      path: url.pathname + url.search,
      headers: { host: url.host, ...fields },
    })
    outgoing.once('error', reject)
    outgoing.once('response', (incoming: IncomingMessage) => {
      const waitMs = performance.now() - begun
      collect(incoming).then(
        (body) =>
          resolve({
            status: incoming.statusCode ?? 0,
            protocol: `http/${incoming.httpVersion}`,
            fields: fieldsFromRaw(incoming.rawHeaders).map(([name, value]) => [name, value]),
            waitMs,
            body,
          }),
        reject,
      )
    })
    outgoing.end()
  })

const askHttp2 = (url: URL, socket: Socket, fields: Record<string, string>): Promise<Answered> =>
  new Promise((resolve, reject) => {
    const session = h2Connect(url.origin, { createConnection: () => socket })
    session.once('error', reject)
    const begun = performance.now()
    const stream = session.request({ ':path': url.pathname + url.search, ...fields })
    stream.once('error', reject)
    stream.once('response', (answer) => {
      const waitMs = performance.now() - begun
      const lines = Object.entries(answer).flatMap(([name, value]): [string, string][] =>
        name.startsWith(':') ? [] : [value].flat().map((line) => [name, String(line)]),
      )
      collect(stream).then(
        (body) =>
          resolve({
            status: Number(answer[constants.HTTP2_HEADER_STATUS]),
            protocol: 'h2',
            fields: lines,
            waitMs,
            body,
          }),
        reject,
      )
    })
    stream.end()
  })

/**
 * Ask for one address over a connection of its own and time every part.
 * @throws Error as Node has it; PrivateAddressRefused
 */
export const askHop = async (
  address: string,
  fields: Record<string, string>,
  { reach, timeoutMs }: { readonly reach: PrivateAddresses; readonly timeoutMs: number },
): Promise<HopAnswer> => {
  const url = new URL(address)
  const signal = AbortSignal.timeout(timeoutMs)
  const { socket, protocol, ...times } = await open(url, reach, signal)
  try {
    const late = new Promise<never>((_resolve, reject) =>
      signal.addEventListener('abort', () => reject(Object.assign(new Error('timeout'), { code: 'ETIMEDOUT' }))),
    )
    const asked = protocol === 'h2' ? askHttp2(url, socket, fields) : askHttp1(url, socket, fields)
    const { body, ...answer } = await Promise.race([asked, late])
    const location = answer.fields.find(([name]) => name === 'location')?.[1] ?? null
    return { hop: { url: address, ...times, ...answer, location }, body }
  } finally {
    socket.destroy()
  }
}
