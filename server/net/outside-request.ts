import { request as httpRequest, type ClientRequest, type IncomingMessage } from 'node:http'
import { request as httpsRequest } from 'node:https'
import { urlToHttpOptions } from 'node:url'
import { promisify } from 'node:util'
import { brotliDecompress, gunzip } from 'node:zlib'
import rawBody from 'raw-body'
import { guardedLookup } from '../../process/guarded-lookup.ts'
import { PrivateAddressRefused, refusePrivate, type PrivateAddresses } from '../../core/http/private-addresses.ts'

/** An answer of a web server, read whole. */
export interface OutsideAnswer {
  readonly status: number
  /** Names in lower case, lines of one name joined; Set-Cookie apart. */
  readonly fields: ReadonlyMap<string, string>
  readonly setCookies: readonly string[]
  readonly body: Buffer
  readonly tookMs: number
}

/** A server could not be asked; the sentence says what to do. */
export class OutsideFailure extends Error {
  /** Refused before anything was sent, because the host is in a private network. */
  readonly isPrivate: boolean
  constructor(sentence: string, isPrivate = false) {
    super(sentence)
    this.isPrivate = isPrivate
  }
}

const WHY: Record<string, (url: URL) => string> = {
  ENOTFOUND: ({ hostname }) => `There is no such host as ${hostname}. Check the spelling of the address.`,
  EAI_AGAIN: ({ hostname }) =>
    `The name ${hostname} could not be looked up. Check the spelling, and that this machine reaches a name server.`,
  ECONNREFUSED: ({ host }) =>
    `Nothing answers at ${host}. Check the address, and check that the web server is running.`,
  ECONNRESET: ({ host }) =>
    `${host} closed the connection without an answer. Check the address, and whether it wants https.`,
  EHOSTUNREACH: ({ host }) => `There is no way to ${host} from this machine.`,
  ENETUNREACH: ({ host }) => `There is no way to ${host} from this machine.`,
  ETIMEDOUT: ({ host }) => `${host} did not answer in time. Check the address.`,
  EPROTO: ({ host }) => `${host} does not speak https at this address. Try http://.`,
  CERT_HAS_EXPIRED: ({ host }) => `The certificate of ${host} has expired. Renew it first.`,
}

/** Why a web server could not be asked, in a sentence that says what to do. */
export const sentenceForFailure = (error: NodeJS.ErrnoException, url: URL): string => {
  if (error instanceof PrivateAddressRefused) return error.message
  const code = error.code ?? ''
  if (code.startsWith('HPE_')) return `What answers at ${url.host} does not speak HTTP. Check the port.`
  return WHY[code]?.(url) ?? `${url.host} cannot be asked: ${error.message}.`
}

const decoded = async (body: Buffer, coding: string | undefined): Promise<Buffer> => {
  const limit = { maxOutputLength: 64 * 1024 * 1024 }
  if (coding === 'gzip') return promisify(gunzip)(body, limit)
  if (coding === 'br') return promisify(brotliDecompress)(body, limit)
  return body
}

const LARGER = 'entity.too.large'

/** The whole body. Rejects when it is larger than that many bytes or breaks off. */
const readBody = async (incoming: IncomingMessage, mostBytes: number): Promise<Buffer> => {
  try {
    return await rawBody(incoming, { limit: mostBytes })
  } catch (error) {
    incoming.destroy()
    throw (error as { type?: string }).type === LARGER ? new Error(`more than ${mostBytes} bytes came`) : error
  }
}

interface OutsideOptions {
  readonly fields?: Record<string, string>
  readonly timeoutMs?: number
  readonly mostBytes?: number
  readonly method?: string
  /** Sent as a form with POST. */
  readonly form?: Record<string, string>
  /** Sent as it is, with the method that is named. */
  readonly body?: Buffer
  /** Whether the owner has said that private networks may be asked. */
  readonly reach?: PrivateAddresses
  /** Name that the certificate has to be for, where the address is none. */
  readonly servername?: string | undefined
  /** PEM of whoever vouches for the server; undefined: those that this machine trusts. */
  readonly trusted?: string | undefined
}

const requestFor = (
  url: URL,
  { fields = {}, method = 'GET', form, body: plain, reach = 'refused', trusted, servername }: OutsideOptions,
): ClientRequest => {
  const body = form === undefined ? plain : new URLSearchParams(form).toString()
  const ofBody = {
    ...(form !== undefined && { 'content-type': 'application/x-www-form-urlencoded' }),
    ...(body !== undefined && { 'content-length': String(Buffer.byteLength(body)) }),
  }
  const outgoing = (url.protocol === 'https:' ? httpsRequest : httpRequest)({
    ...urlToHttpOptions(url),
    hostname: url.hostname.replace(/^\[|\]$/g, ''),
    lookup: guardedLookup(reach),
    method: form === undefined ? method : 'POST',
    agent: false,
    ...(trusted !== undefined && { ca: trusted }),
    ...(servername !== undefined && { servername }),
    headers: { host: url.host, 'user-agent': 'zest-lamp', accept: '*/*', ...fields, ...ofBody },
  })
  outgoing.end(body)
  return outgoing
}

/** The whole answer, decoded. Rejects when it is too large or breaks off. */
const answerOf = async (incoming: IncomingMessage, mostBytes: number, startedAt: number): Promise<OutsideAnswer> => ({
  status: incoming.statusCode ?? 0,
  fields: new Map(Object.entries(incoming.headersDistinct).map(([name, lines]) => [name, (lines ?? []).join(', ')])),
  setCookies: incoming.headers['set-cookie'] ?? [],
  body: await decoded(await readBody(incoming, mostBytes), incoming.headers['content-encoding']),
  tookMs: performance.now() - startedAt,
})

/**
 * Ask a web server for one address; redirects are answers, not followed: only addresses that the owner named are asked.
 * @param options.timeoutMs longest time for the whole answer
 * @throws OutsideFailure
 */
export const askOutside = (address: string, options: OutsideOptions = {}): Promise<OutsideAnswer> => {
  const url = new URL(address)
  const { timeoutMs = 15_000, mostBytes = 10 * 1024 * 1024, reach = 'refused' } = options
  const startedAt = performance.now()
  return new Promise((resolve, reject) => {
    const fail = (error: Error): void =>
      reject(new OutsideFailure(sentenceForFailure(error, url), error instanceof PrivateAddressRefused))
    try {
      refusePrivate(url.hostname, reach)
    } catch (error) {
      return fail(error as Error)
    }
    const outgoing = requestFor(url, options)
    const timer = setTimeout(
      () => outgoing.destroy(Object.assign(new Error('timeout'), { code: 'ETIMEDOUT' })),
      timeoutMs,
    )
    outgoing.on('error', fail)
    outgoing.on('close', () => clearTimeout(timer))
    outgoing.on('response', (incoming) => void answerOf(incoming, mostBytes, startedAt).then(resolve, fail))
  })
}
