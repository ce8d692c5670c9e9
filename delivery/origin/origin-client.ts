import { Agent as HttpAgent, request as httpRequest, type IncomingMessage } from 'node:http'
import { Agent as HttpsAgent, request as httpsRequest } from 'node:https'
import type { Readable } from 'node:stream'
import { fieldsFromRaw, type Fields } from '../../core/http/fields.ts'
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
  readonly body: IncomingMessage
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

/** Connections to origins, kept open between requests. */
export class OriginClient {
  readonly #http = new HttpAgent({ keepAlive: true, maxSockets: 64, maxFreeSockets: 16 })
  readonly #https = new HttpsAgent({ keepAlive: true, maxSockets: 64, maxFreeSockets: 16 })
  readonly #now: () => EpochMs

  constructor(now: () => EpochMs = () => epochMs(Date.now())) {
    this.#now = now
  }

  /**
   * Send a request to an origin.
   * @returns once the header section has arrived; the body streams
   * @throws OriginFailure
   */
  fetch(request: OriginRequest): Promise<OriginAnswer> {
    const { base, method, target, fields, body, timeoutMs, signal } = request
    const url = new URL(base)
    const secure = url.protocol === 'https:'
    const requestTime = this.#now()
    return new Promise((resolve, reject) => {
      const outgoing = (secure ? httpsRequest : httpRequest)({
        host: connectHost(url.hostname),
        port: url.port || (secure ? 443 : 80),
        path: target,
        method,
        agent: secure ? this.#https : this.#http,
        headers: fields.flat() as unknown as Record<string, string>,
        setHost: false,
        timeout: timeoutMs,
        signal,
      })
      outgoing.on('timeout', () =>
        outgoing.destroy(new OriginFailure('timeout', `${base} sent nothing for ${timeoutMs} ms.`)),
      )
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
