import { request, type IncomingMessage, type ServerResponse } from 'node:http'

/** What a rented CDN does with answers, and what some do to them. */
export interface CdnHabits {
  /** Addresses that differ only in their query are one. */
  readonly ignoresQuery: boolean
  /** Cache-Status of caches before it is taken out, and none is written. */
  readonly stripsCacheStatus: boolean
  /** Vary is taken out, and one copy serves whatever coding is asked for. */
  readonly ignoresVary: boolean
  /** Asks for uncompressed files, and sends them so. */
  readonly uncompressed: boolean
  /** Keeps everything for so many seconds, whatever the origin says; null: follows it. */
  readonly keepsS: number | null
  /** Keeps answers that set cookies. */
  readonly keepsCookies: boolean
}
export const PLAIN: CdnHabits = {
  ignoresQuery: false,
  stripsCacheStatus: false,
  ignoresVary: false,
  uncompressed: false,
  keepsS: null,
  keepsCookies: false,
}

interface Kept {
  readonly status: number
  readonly fields: [string, string][]
  readonly body: Buffer
  readonly at: number
  readonly ttlS: number
}
const MOST_KEPT = 5000
const MOST_BODY_BYTES = 8 * 1024 * 1024
const HOP = new Set(['connection', 'keep-alive', 'transfer-encoding', 'upgrade', 'te', 'trailer', 'proxy-connection'])

const lifetimeOf = (answer: IncomingMessage, { keepsS, keepsCookies }: CdnHabits): number => {
  if (answer.headers['set-cookie'] !== undefined && !keepsCookies) return 0
  if (keepsS !== null) return keepsS
  const said = String(answer.headers['cdn-cache-control'] ?? answer.headers['cache-control'] ?? '')
  if (/no-store|private|no-cache/.test(said)) return 0
  return Number(/s-maxage=(\d+)/.exec(said)?.[1] ?? /max-age=(\d+)/.exec(said)?.[1] ?? 0)
}

/** A cache that fetches what it does not have from an origin, by the way RFC 9111 describes for shared ones, but for its habits. */
export class PullCache {
  readonly #origin: URL
  readonly #name: string
  readonly #now: () => number
  readonly habits: CdnHabits
  /** What to connect to for a host name. */
  readonly #connect: (hostname: string) => string
  readonly #kept = new Map<string, Kept>()
  requests = 0
  hits = 0
  bytes = 0

  constructor(
    origin: string,
    name: string,
    habits: CdnHabits,
    now: () => number,
    connect: (hostname: string) => string,
  ) {
    this.#origin = new URL(origin)
    this.#name = name
    this.habits = habits
    this.#now = now
    this.#connect = connect
  }

  purge(paths: readonly string[] | 'everything'): void {
    if (paths === 'everything') return this.#kept.clear()
    for (const key of this.#kept.keys()) {
      const target = key.split(' ')[1] ?? ''
      if (paths.includes(target) || paths.includes(target.split('?', 1)[0] ?? '')) this.#kept.delete(key)
    }
  }

  #codingOf(req: IncomingMessage): string {
    if (this.habits.uncompressed) return 'identity'
    const accepted = String(req.headers['accept-encoding'] ?? '')
    return /\bbr\b/.test(accepted) ? 'br' : /\bgzip\b/.test(accepted) ? 'gzip' : 'identity'
  }

  answer(req: IncomingMessage, res: ServerResponse): void {
    this.requests++
    const target = req.url ?? '/'
    const asked = this.habits.ignoresQuery ? (target.split('?', 1)[0] ?? '/') : target
    const coding = this.#codingOf(req)
    const key = `${this.habits.ignoresVary ? '*' : coding} ${asked}`
    const kept = this.#kept.get(key)
    const isSafe = req.method === 'GET' || req.method === 'HEAD'
    if (isSafe && kept !== undefined && this.#now() - kept.at < kept.ttlS * 1000) {
      this.hits++
      return this.#send(res, kept, 'hit')
    }
    this.#fetch(req, target, coding, (fresh) => {
      if (isSafe && fresh.status === 200 && fresh.ttlS > 0) {
        if (this.#kept.size >= MOST_KEPT) this.#kept.clear()
        this.#kept.set(key, fresh)
      }
      this.#send(res, fresh, 'fwd=miss')
    }).on('error', () => res.writeHead(502).end('The origin does not answer.'))
  }

  #fetch(req: IncomingMessage, target: string, coding: string, done: (fresh: Kept) => void) {
    const { hostname, port, host } = this.#origin
    const headers = { ...req.headers, host, 'accept-encoding': coding }
    for (const name of HOP) delete (headers as Record<string, unknown>)[name]
    const outgoing = request(
      {
        host: this.#connect(hostname),
        port: port || 80,
        method: req.method ?? 'GET',
        path: target,
        headers,
        agent: false,
      },
      (answer) => {
        const chunks: Buffer[] = []
        let bytes = 0
        answer.on('data', (chunk: Buffer) => {
          bytes += chunk.length
          if (bytes > MOST_BODY_BYTES) outgoing.destroy(new Error('too large'))
          else chunks.push(chunk)
        })
        answer.on('end', () => {
          const fields: [string, string][] = []
          for (let at = 0; at < answer.rawHeaders.length; at += 2)
            fields.push([String(answer.rawHeaders[at]).toLowerCase(), String(answer.rawHeaders[at + 1])])
          done({
            status: answer.statusCode ?? 502,
            fields: fields.filter(([name]) => !HOP.has(name) && name !== 'content-length'),
            body: Buffer.concat(chunks),
            at: this.#now(),
            ttlS: lifetimeOf(answer, this.habits),
          })
        })
      },
    )
    req.pipe(outgoing)
    return outgoing
  }

  #send(res: ServerResponse, { status, fields, body, at }: Kept, how: string): void {
    const { stripsCacheStatus, ignoresVary } = this.habits
    const left = fields.filter(
      ([name]) =>
        name !== 'age' && !(stripsCacheStatus && name === 'cache-status') && !(ignoresVary && name === 'vary'),
    )
    const own: [string, string][] = stripsCacheStatus ? [] : [['cache-status', `${this.#name}; ${how}`]]
    this.bytes += body.length
    const lines = [...left, ...own, ['age', String(Math.floor((this.#now() - at) / 1000))]]
    res.writeHead(status, [...lines.flat(), 'content-length', String(body.length)]).end(body)
  }
}
