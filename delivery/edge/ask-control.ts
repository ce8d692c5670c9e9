import { request as httpRequest, type IncomingMessage } from 'node:http'
import { connect as tlsConnect, type TLSSocket } from 'node:tls'
import { isIP } from 'node:net'

/** Where control is, and how it is known. */
export interface ControlAddress {
  /** Scheme, host and port. */
  readonly url: string
  /** SHA-256 of its certificate, hex, where no authority vouches for it. */
  readonly certificate?: string | undefined
  /** Certificates of private authorities, PEM; the system's count otherwise. */
  readonly trusted?: string | undefined
}

export interface ControlRequest {
  readonly method: string
  readonly path: string
  readonly key?: string | undefined
  readonly body?: unknown
  /** Longest silence, ms. */
  readonly timeoutMs: number
}

/** Control refused; the sentence is its own. */
export class ControlRefused extends Error {
  readonly status: number

  constructor(status: number, sentence: string) {
    super(sentence)
    this.status = status
  }
}

/** A certificate is there, and is not the one that the token names: somebody stands in between, or control was set up anew. */
export class OtherCertificate extends Error {
  constructor(url: string) {
    super(
      `The certificate of ${url} is not the one that this edge was told of. If control was set up anew, make a new token under Edges and join again.`,
    )
  }
}

/** Nothing is sent before it is known who listens. */
const secureSocket = ({ url, certificate, trusted }: ControlAddress, timeoutMs: number): Promise<TLSSocket> => {
  const { hostname, port } = new URL(url)
  const host = hostname.replace(/^\[|\]$/g, '')
  return new Promise((resolve, reject) => {
    const socket = tlsConnect({
      host,
      port: Number(port || 443),
      minVersion: 'TLSv1.2',
      ...(isIP(host) === 0 ? { servername: host } : {}),
      ...(trusted === undefined ? {} : { ca: trusted }),
      rejectUnauthorized: certificate === undefined,
      timeout: timeoutMs,
    })
    socket.once('error', reject)
    socket.once('timeout', () => socket.destroy(new Error(`${url} does not answer.`)))
    socket.once('secureConnect', () => {
      const shown = socket.getPeerCertificate().fingerprint256?.replaceAll(':', '').toLowerCase()
      if (certificate === undefined || shown === certificate) return resolve(socket)
      socket.destroy()
      reject(new OtherCertificate(url))
    })
  })
}

/**
 * Ask control, on a connection of its own.
 * @returns the answer, whose body is to be read
 * @throws OtherCertificate, or Error of the connection
 */
export const askControl = async (control: ControlAddress, asked: ControlRequest): Promise<IncomingMessage> => {
  const { method, path, key, body, timeoutMs } = asked
  const { protocol, hostname, port, host } = new URL(control.url)
  const socket = protocol === 'https:' ? await secureSocket(control, timeoutMs) : undefined
  return new Promise((resolve, reject) => {
    const outgoing = httpRequest(
      {
        host: hostname.replace(/^\[|\]$/g, ''),
        port: port || 80,
        method,
        path: `/api/v1${path}`,
        timeout: timeoutMs,
        headers: {
          host,
          ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
          ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        },
        ...(socket === undefined ? { agent: false } : { createConnection: () => socket }),
      },
      resolve,
    )
    outgoing.on('timeout', () => outgoing.destroy(new Error(`${control.url} has said nothing for ${timeoutMs} ms.`)))
    outgoing.on('error', reject)
    outgoing.end(body === undefined ? undefined : JSON.stringify(body))
  })
}

const LARGEST_ANSWER = 1024 * 1024

/** Read an answer as JSON. @throws ControlRefused with control's own sentence */
export const jsonOf = async (incoming: IncomingMessage): Promise<unknown> => {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of incoming) {
    size += (chunk as Buffer).length
    if (size > LARGEST_ANSWER) throw new Error('The answer of control is too large.')
    chunks.push(chunk as Buffer)
  }
  const text = Buffer.concat(chunks).toString('utf8')
  const status = incoming.statusCode ?? 500
  if (status < 400) return text === '' ? undefined : JSON.parse(text)
  throw new ControlRefused(status, sentenceOf(text) ?? `Control answered with status ${status}.`)
}

const sentenceOf = (text: string): string | undefined => {
  try {
    const { detail } = JSON.parse(text) as { detail?: unknown }
    return typeof detail === 'string' ? detail : undefined
  } catch {
    return undefined
  }
}
