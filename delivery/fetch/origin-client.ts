import { request as httpRequest, type ClientRequest, type IncomingMessage } from 'node:http'
import { request as httpsRequest } from 'node:https'
import type { LookupFunction, Socket } from 'node:net'
import type { Readable } from 'node:stream'
import { fieldsFromRaw, FRAMING, withoutFields, type Fields } from '../../core/http/fields.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import { isLoopback, PrivateAddressRefused, refusePrivate } from '../../core/http/private-addresses.ts'
import { isStream } from '../../core/http/streams.ts'
import { connectHost } from '../../core/http/special-names.ts'
import { epochMs, type EpochMs } from '../../core/time.ts'
import { createPool } from './connection-pool.ts'
import { OriginFailure } from './origin-failure.ts'
import { OriginLanes, type LaneKind, type Slot } from './origin-lanes.ts'

/** Content of a request on its way to the origin. */
export interface RequestContent {
  readonly stream: Readable
  /** Bytes; undefined: not known before its end. */
  readonly length: number | undefined
}

export interface OriginRequest {
  /** Whose room at the origin it takes; sites never wait for each other. */
  readonly site: string
  /** Scheme, host and port of the origin. */
  readonly base: string
  readonly method: string
  /** Path and query. */
  readonly target: string
  /** Without framing, which is written here. */
  readonly fields: Fields
  readonly body: RequestContent | undefined
  /** Longest silence before and while the answer arrives, ms. */
  readonly timeoutMs: number
  /** Aborted when the visitor has gone. */
  readonly signal: AbortSignal | undefined
  /** Address of the visitor it is sent for; undefined: for nobody alone. No address may take all the room there is. */
  readonly visitor?: string | undefined
  /** Nobody waits for it: visitors' requests come first. */
  readonly background?: boolean
  /** How names are looked up; undefined: as the system does it. */
  readonly lookup?: LookupFunction | undefined
}

export interface OriginAnswer {
  readonly status: number
  readonly statusText: string
  readonly fields: Fields
  readonly body: Readable
  readonly requestTime: EpochMs
  readonly responseTime: EpochMs
}

const UNREACHABLE = new Set(['ECONNREFUSED', 'ENOTFOUND', 'EHOSTUNREACH', 'ENETUNREACH', 'EAI_AGAIN'])

/** After this long an answer counts as one that lasts, and is in no page's way any more, ms. */
const LASTS_AFTER_MS = 5000

/** What an origin said to an upgrade: it switched, or it answered as usual. */
export type UpgradeAnswer = Pick<OriginAnswer, 'status' | 'statusText' | 'fields'> &
  ({ kind: 'switched'; socket: Socket; head: Buffer } | { kind: 'refused'; body: IncomingMessage })

/** Whether a request that failed may be sent once more: it changes nothing (RFC 9110 §9.2.2), and whoever asked is still there. */
const maySendAgain = ({ method, body, signal }: OriginRequest, failure: unknown): boolean =>
  isSafeMethod(method) &&
  body === undefined &&
  signal?.aborted !== true &&
  failure instanceof OriginFailure &&
  (failure.kind === 'unreachable' || failure.kind === 'broken')

/** Methods whose requests say nothing of their length when they have no content (RFC 9110 §8.6). */
const WITHOUT_CONTENT = new Set(['GET', 'HEAD', 'DELETE', 'OPTIONS', 'TRACE'])

/** The fields with the framing of this message (RFC 9112 §6.3), whatever the one before had. */
const framed = ({ method, fields, body }: OriginRequest): Fields => {
  const plain = withoutFields(fields, FRAMING)
  if (body === undefined) return WITHOUT_CONTENT.has(method) ? plain : [...plain, ['content-length', '0']]
  return body.length === undefined
    ? [...plain, ['transfer-encoding', 'chunked']]
    : [...plain, ['content-length', String(body.length)]]
}

const laneOf = ({ body, background }: OriginRequest): LaneKind => {
  if (background === true) return 'background'
  return body === undefined ? 'page' : 'upload'
}

/** Many visitors come from the machine itself: there a server stands in front that ends their connections. */
const addressOf = ({ visitor }: Pick<OriginRequest, 'visitor'>): string | undefined =>
  visitor === undefined || visitor === '' || isLoopback(visitor) ? undefined : visitor

/** A failure of Node's in our words; anything that is no failure of the network is a fault of ours, and stays what it is. */
const failureOf = (base: string, error: NodeJS.ErrnoException): Error => {
  if (error instanceof OriginFailure) return error
  if (error instanceof PrivateAddressRefused)
    return new OriginFailure('private-address', error.message, { cause: error })
  if (UNREACHABLE.has(error.code ?? ''))
    return new OriginFailure('unreachable', `${base} cannot be reached: ${error.message}.`, { cause: error })
  return new OriginFailure('broken', `${base} broke off: ${error.message}.`, { cause: error })
}

/** Asks origins. */
export class OriginClient {
  readonly #pool = createPool()
  readonly #lanes: OriginLanes
  readonly #now: () => EpochMs

  constructor(now: () => EpochMs = () => epochMs(Date.now()), lanes = new OriginLanes()) {
    this.#now = now
    this.#lanes = lanes
  }

  /**
   * Send a request to an origin. A safe request that meets a closed or refused connection is sent once more: a server that restarts, or
   * closes an idle connection just then, must not show.
   * @returns once the header section has arrived; the body streams
   * @throws OriginFailure
   */
  async fetch(request: OriginRequest): Promise<OriginAnswer> {
    if (request.background === true) await this.#lanes.whenQuiet(request.site)
    const slot = await this.#lanes.enter(request.site, laneOf(request), {
      address: addressOf(request),
      signal: request.signal,
    })
    try {
      try {
        return await this.#send(request, slot)
      } catch (failure) {
        if (!maySendAgain(request, failure)) throw failure
        return await this.#send(request, slot)
      }
    } catch (failure) {
      slot.release()
      throw failure
    }
  }

  /**
   * Only requests without content share connections: an origin that does not read the content of a request takes it for the next one, and would
   * answer it to somebody else.
   */
  #open(request: OriginRequest, pooled: boolean): ClientRequest {
    const { base, method, target, timeoutMs, signal, lookup } = request
    const url = new URL(base)
    // An address that is written out is looked up by nobody.
    if (lookup !== undefined) refusePrivate(url.hostname, 'refused')
    const secure = url.protocol === 'https:'
    const outgoing = (secure ? httpsRequest : httpRequest)({
      host: connectHost(url.hostname).replace(/^\[|\]$/g, ''),
      port: url.port || (secure ? 443 : 80),
      path: target,
      method,
      agent: pooled ? this.#pool[secure ? 'https' : 'http'] : false,
      headers: framed(request).flat(),
      setHost: false,
      timeout: timeoutMs,
      signal,
      ...(lookup === undefined ? {} : { lookup }),
    })
    outgoing.on('timeout', () =>
      outgoing.destroy(new OriginFailure('timeout', `${base} sent nothing for ${timeoutMs} ms.`)),
    )
    return outgoing
  }

  #openOrRefuse(request: OriginRequest, pooled: boolean): ClientRequest {
    try {
      return this.#open(request, pooled)
    } catch (error) {
      throw error instanceof PrivateAddressRefused ? failureOf(request.base, error) : error
    }
  }

  /**
   * Ask an origin to switch protocols, on a connection of its own.
   * @throws OriginFailure
   */
  async upgrade(request: Omit<OriginRequest, 'body' | 'signal'>): Promise<UpgradeAnswer> {
    const slot = await this.#lanes.enter(request.site, 'upgrade', { address: addressOf(request) })
    try {
      return await new Promise((resolve, reject) => {
        const outgoing = this.#openOrRefuse({ ...request, body: undefined, signal: undefined }, false)
        const told = (incoming: IncomingMessage) => ({
          status: incoming.statusCode ?? 502,
          statusText: incoming.statusMessage ?? '',
          fields: fieldsFromRaw(incoming.rawHeaders),
        })
        outgoing.on('error', (error) => reject(failureOf(request.base, error)))
        outgoing.on('upgrade', (incoming, socket, head) => {
          socket.once('close', () => slot.release())
          resolve({ kind: 'switched', ...told(incoming), socket: socket, head })
        })
        outgoing.on('response', (body) => {
          body.once('close', () => slot.release())
          resolve({ kind: 'refused', ...told(body), body })
        })
        outgoing.end()
      })
    } catch (failure) {
      slot.release()
      throw failure
    }
  }

  #send(request: OriginRequest, slot: Slot): Promise<OriginAnswer> {
    const { base, body } = request
    const requestTime = this.#now()
    return new Promise((resolve, reject) => {
      const outgoing = this.#openOrRefuse(request, body === undefined)
      outgoing.on('error', (error: NodeJS.ErrnoException) => reject(failureOf(base, error)))
      outgoing.on('response', (incoming) => {
        const fields = fieldsFromRaw(incoming.rawHeaders)
        const busy = (): OriginFailure => new OriginFailure('busy', 'Too many answers go on for long at the same time.')
        // Answers that nobody waits for alone are read as fast as they come: they need no such room.
        const findsRoom = (): boolean => slot.lasts() === 'moved' || request.signal === undefined
        if (isStream(fields) && !findsRoom()) {
          incoming.destroy()
          return reject(busy())
        }
        // A visitor who reads slowly must not keep the room that is for pages.
        const lasting = setTimeout(() => {
          if (!findsRoom()) incoming.destroy(busy())
        }, LASTS_AFTER_MS).unref()
        incoming.once('close', () => {
          clearTimeout(lasting)
          slot.release()
        })
        resolve({
          status: incoming.statusCode ?? 502,
          statusText: incoming.statusMessage ?? '',
          fields,
          body: incoming,
          requestTime,
          responseTime: this.#now(),
        })
      })
      if (body === undefined) outgoing.end()
      else sendContent(body.stream, outgoing)
    })
  }

  close(): void {
    this.#pool.http.destroy()
    this.#pool.https.destroy()
  }
}

const sendContent = (content: Readable, outgoing: ClientRequest): void => {
  // A visitor who goes away while uploading takes the request to the origin along.
  content.on('error', (error) => outgoing.destroy(error))
  content.on('close', () => {
    if (!content.readableEnded) outgoing.destroy()
  })
  content.pipe(outgoing)
}
