import { readFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import { PLAIN, PullCache, type CdnHabits } from './pull-cache.ts'

interface Distribution {
  readonly id: string
  readonly reference: string
  readonly cache: PullCache
}
const MOST_BYTES = 100_000
const PER_GB = 0.05

const readForm = (req: IncomingMessage): Promise<URLSearchParams> =>
  new Promise((resolve, reject) => {
    let text = ''
    req.setEncoding('utf8')
    req.on('data', (part: string) => {
      text += part
      if (text.length > MOST_BYTES) req.destroy(new Error('too large'))
    })
    req.on('end', () => resolve(new URLSearchParams(text)))
    req.on('error', reject)
  })

/** A made-up company that rents out a CDN: an API for its customers, and the hosts that their visitors come to, on one port. */
export class CdnProvider {
  readonly server: Server
  readonly #distributions = new Map<string, Distribution>()
  readonly #token: string
  readonly #regions: unknown
  readonly #now: () => number
  /** For tests: what new distributions do to answers, and whether the API is out of order. */
  habits: CdnHabits = PLAIN
  apiDown = false
  /** Names of this machine need no name server (RFC 6761 §6.3). */
  connect = (hostname: string): string => (hostname.endsWith('.localhost') ? '127.0.0.1' : hostname)

  constructor(token: string, regions: unknown, now: () => number = Date.now) {
    this.#token = token
    this.#regions = regions
    this.#now = now
    this.server = createServer((req, res) => {
      this.#route(req, res).catch(() => res.destroy())
    })
  }

  async #route(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const name = /^([\w-]+)\.cdn\.localhost(?::\d+)?$/.exec(req.headers.host ?? '')?.[1]
    if (name !== undefined) {
      const found = this.#distributions.get(name)
      if (found === undefined) return void res.writeHead(404).end('No such distribution.')
      return found.cache.answer(req, res)
    }
    if (this.apiDown) return void res.writeHead(503).end('{}')
    if (req.headers.authorization !== `Bearer ${this.#token}`) return void res.writeHead(401).end('{}')
    const reply = (status: number, body: unknown): void =>
      void res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body))
    const [, , what, id, act] = (req.url ?? '').split('/')
    if (what === 'regions') return reply(200, this.#regions)
    if (what !== 'distributions') return reply(404, {})
    if (id === undefined && req.method === 'POST') return reply(200, this.#create(await readForm(req), req))
    const found = this.#distributions.get(id ?? '')
    if (found === undefined) return reply(404, {})
    if (act === 'hosts') return reply(200, { hosts: [this.#hostOf(found, req)] })
    if (act === 'figures') {
      const { requests, hits, bytes } = found.cache
      return reply(200, { requests, hits, bytes, cost: (bytes / 1e9) * PER_GB })
    }
    if (act !== 'purges') return reply(404, {})
    const form = await readForm(req)
    found.cache.purge(form.get('everything') === '1' ? 'everything' : form.getAll('path'))
    reply(200, {})
  }

  /** The same reference again is the same distribution: whoever lost an answer may ask once more. */
  #create(form: URLSearchParams, req: IncomingMessage): unknown {
    const reference = form.get('reference') ?? ''
    const known = [...this.#distributions.values()].find((one) => one.reference === reference)
    const id = known?.id ?? `d${this.#distributions.size + 1}`
    const cache =
      known?.cache ??
      new PullCache(form.get('origin') ?? '', 'sound-cdn', this.habits, this.#now, (name) => this.connect(name))
    const made = { id, reference, cache }
    this.#distributions.set(id, made)
    return { id, hosts: [this.#hostOf(made, req)] }
  }

  #hostOf({ id }: Distribution, req: IncomingMessage): string {
    return `http://${id}.cdn.localhost:${req.socket.localPort}`
  }
}

/** Regions and prices of the demo. */
export const demoRegions = (path: string): unknown =>
  (JSON.parse(readFileSync(path, 'utf8')) as { regions: unknown }).regions
