import {
  Agent as HttpAgent,
  request as httpRequest,
  type ClientRequest,
  type IncomingMessage,
} from 'node:http'
import { Agent as HttpsAgent, request as httpsRequest } from 'node:https'
import type { Socket } from 'node:net'
import type { Readable } from 'node:stream'
import { fieldsFromRaw, type Fields } from '../../core/http/fields.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import { connectHost } from '../../core/http/special-names.ts'
import { epochMs, type EpochMs } from '../../core/time.ts'

export interface OriginRequest {
  /** Scheme, host and port of the origin. */
  readonly base: string
  readonly method: string
  /** Path and query. */
  readonly target: string
  readonly fields: Fields
  readonly body: Readable | undefined
  /** Longest silence before and while the answer arrives, ms. */
  readonly timeoutMs: number
  /** Aborted when the visitor has gone. */
  readonly signal: AbortSignal | undefined
}

export interface OriginAnswer {
  readonly status: number
  readonly statusText: string
  readonly fields: Fields
  readonly body: Readable
  readonly requestTime: EpochMs
  readonly responseTime: EpochMs
}

/** The origin gave no usable answer. */
export class OriginFailure extends Error {
  readonly kind: 'unreachable' | 'timeout' | 'broken'
  constructor(kind: OriginFailure['kind'], message: string) {
    super(message)
    this.kind = kind
  }
}

const UNREACHABLE = new Set(['ECONNREFUSED', 'ENOTFOUND', 'EHOSTUNREACH', 'ENETUNREACH', 'EAI_AGAIN'])

/** What an origin said to an upgrade: it switched, or it answered as usual. */
export type UpgradeAnswer = Pick<OriginAnswer, 'status' | 'statusText' | 'fields'> &
  ({ kind: 'switched'; socket: Socket; head: Buffer } | { kind: 'refused'; body: IncomingMessage })

/** Whether a request that failed may be sent once more: it changes nothing (RFC 9110 §9.2.2), and whoever asked is still there. */
const maySendAgain = ({ method, body, signal }: OriginRequest, failure: unknown): boolean =>
  isSafeMethod(method) &&
  body === undefined &&
  signal?.aborted !== true &&
  failure instanceof OriginFailure &&
  failure.kind !== 'timeout'

/** Connections to origins, kept open between requests. */
export class OriginClient {
  readonly #http = new HttpAgent({ keepAlive: true, maxSockets: 64, maxFreeSockets: 16 })
  readonly #https = new HttpsAgent({ keepAlive: true, maxSockets: 64, maxFreeSockets: 16 })
  readonly #now: () => EpochMs

  constructor(now: () => EpochMs = () => epochMs(Date.now())) {
    this.#now = now
  }

  /**
   * Send a request to an origin. A safe request that meets a closed or refused connection is sent once more: a server that restarts, or
   * closes an idle connection just then, must not show.
   * @returns once the header section has arrived; the body streams
   * @throws OriginFailure
   */
  async fetch(request: OriginRequest): Promise<OriginAnswer> {
    try {
      return await this.#send(request)
    } catch (failure) {
      if (!maySendAgain(request, failure)) throw failure
      return this.#send(request)
    }
  }

  #open({ base, method, target, fields, timeoutMs, signal }: OriginRequest, pooled: boolean): ClientRequest {
    const url = new URL(base)
    const secure = url.protocol === 'https:'
    const agent = secure ? this.#https : this.#http
    const outgoing = (secure ? httpsRequest : httpRequest)({
      host: connectHost(url.hostname),
      port: url.port || (secure ? 443 : 80),
      path: target,
      method,
      agent: pooled ? agent : false,
      headers: fields.flat() as unknown as Record<string, string>,
      setHost: false,
      timeout: timeoutMs,
      signal,
    })
    outgoing.on('timeout', () =>
      outgoing.destroy(new OriginFailure('timeout', `${base} sent nothing for ${timeoutMs} ms.`)),
    )
    return outgoing
  }

  /**
   * Ask an origin to switch protocols, on a connection of its own.
   * @throws OriginFailure
   */
  upgrade(request: Omit<OriginRequest, 'body' | 'signal'>): Promise<UpgradeAnswer> {
    return new Promise((resolve, reject) => {
      const outgoing = this.#open({ ...request, body: undefined, signal: undefined }, false)
      const told = (incoming: IncomingMessage) => ({
        status: incoming.statusCode ?? 502,
        statusText: incoming.statusMessage ?? '',
        fields: fieldsFromRaw(incoming.rawHeaders),
      })
      outgoing.on('error', (error) => reject(new OriginFailure('broken', error.message)))
      outgoing.on('upgrade', (incoming, socket, head) =>
        resolve({ kind: 'switched', ...told(incoming), socket: socket as Socket, head }),
      )
      outgoing.on('response', (body) => resolve({ kind: 'refused', ...told(body), body }))
      outgoing.end()
    })
  }

  #send(request: OriginRequest): Promise<OriginAnswer> {
    const { base, body } = request
    const requestTime = this.#now()
    return new Promise((resolve, reject) => {
      const outgoing = this.#open(request, true)
      outgoing.on('error', (error: NodeJS.ErrnoException) => {
        if (error instanceof OriginFailure) reject(error)
        else if (UNREACHABLE.has(error.code ?? ''))
          reject(new OriginFailure('unreachable', `${base} cannot be reached: ${error.message}.`))
        else reject(new OriginFailure('broken', `${base} broke off: ${error.message}.`))
      })
      outgoing.on('response', (incoming) =>
        resolve({
          status: incoming.statusCode ?? 502,
          statusText: incoming.statusMessage ?? '',
          fields: fieldsFromRaw(incoming.rawHeaders),
          body: incoming,
          requestTime,
          responseTime: this.#now(),
        }),
      )
      if (body === undefined) outgoing.end()
      else {
        // A visitor who goes away while uploading takes the request to the origin along.
        body.on('error', (error) => outgoing.destroy(error))
        body.on('close', () => {
          if (!body.readableEnded) outgoing.destroy()
        })
        body.pipe(outgoing)
      }
    })
  }

  close(): void {
    this.#http.destroy()
    this.#https.destroy()
  }
}
