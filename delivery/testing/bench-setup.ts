import { mkdtemp, rm } from 'node:fs/promises'
import {
  createServer,
  request,
  type IncomingHttpHeaders,
  type IncomingMessage,
  type Server,
  type ServerResponse,
} from 'node:http'
import type { Http2SecureServer } from 'node:http2'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { basename, join } from 'node:path'
import type { DeliveryConfig, DeliverySite } from '../../core/contracts/delivery-config.ts'
import { Setup, type RemedyId } from '../../core/contracts/setup.ts'
import { PageLinks } from '../../core/watching/page-links.ts'
import { epochMs } from '../../core/time.ts'
import { Recompression } from '../respond/recompression.ts'
import { Counters } from '../metrics/counters.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import { NextPages } from '../observation/next-pages.ts'
import { EmptySessions } from '../observation/empty-sessions.ts'
import { InFlightRequests } from '../fetch/request-collapsing.ts'
import { createListener, createSecureListener } from '../listener/listener.ts'
import { OriginClient } from '../fetch/origin-client.ts'
import { transformHere } from '../transform/transform-pool.ts'
import { GeneratedAssets } from '../transform/generated-assets.ts'
import { memoizingPool } from '../transform/memoizing-pool.ts'
import { PageRewriter } from '../transform/page-rewriter.ts'
import { PreparedPictures } from '../transform/prepared-pictures.ts'
import { Contact } from '../purge/contact.ts'
import { edgeKeysOf, type EdgeKeys } from '../request/edge-access.ts'
import { compileRoutes } from '../request/routes.ts'
import { VaryMemory } from '../fetch/vary-memory.ts'
import { IndexedStore } from '../store/indexed-store.ts'
import { MemoryStore } from '../store/memory-store.ts'
import { Certificates } from '../listener/certificates.ts'
import { BenchCluster } from './bench-cluster.ts'

/** For tests: a real origin, a real listener and a real store in between, on ports of their own, with a clock that the test moves. */

export type OriginHandler = (req: IncomingMessage, res: ServerResponse) => void

export interface Answer {
  readonly status: number
  readonly headers: IncomingHttpHeaders
  readonly body: Buffer
  readonly cacheStatus: string
}

const listen = (server: Server | Http2SecureServer): Promise<number> =>
  new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)))

const close = (server: Server): Promise<void> =>
  new Promise((resolve) => {
    server.close(() => resolve())
    server.closeAllConnections()
  })

/** npm run test:long runs the behaviour once more like this: no visitor can tell which process of a cluster answers. */
const THROUGH_FURTHER = process.env['ZEST_TEST_THROUGH'] === 'further'

export type Remedies = Partial<Record<RemedyId, Record<string, unknown>>>

export const setupWith = (remedies: Remedies, serverTiming = false): Setup => {
  const on = Object.fromEntries(Object.entries(remedies).map(([id, settings]) => [id, { enabled: true, ...settings }]))
  return Setup.parse({ remedies: on, serverTiming })
}

export class DeliveryBench {
  readonly io: DeliveryIo
  readonly nextPages = new NextPages()
  readonly port: number
  readonly folder: string
  /** What the origin was asked, in order: method and target. */
  readonly asked: { line: string; headers: IncomingHttpHeaders; body: string }[] = []
  /** Requests that delivery has got. */
  arrived = 0
  /** Faults of ours that requests brought to light; a test that expects none fails at its end. */
  readonly faults: unknown[] = []
  /** Seconds the clock is ahead. */
  aheadS = 0
  handler: OriginHandler = (_req, res) => res.end('hello')
  readonly #listener: Server
  readonly certificates: Certificates
  readonly #secure: Http2SecureServer
  securePort = 0
  readonly #origin: Server
  readonly #store: IndexedStore
  #routes: ReturnType<typeof compileRoutes>
  #edges: EdgeKeys = new Map()
  readonly contact: Contact
  readonly #originPort: number
  readonly #cluster: BenchCluster | undefined

  private constructor(parts: {
    folder: string
    store: IndexedStore
    originPort: number
    origin: Server
    instance: string
  }) {
    this.folder = parts.folder
    this.#origin = parts.origin
    this.#store = parts.store
    this.#originPort = parts.originPort
    const now = () => epochMs(Date.now() + this.aheadS * 1000)
    this.#routes = new Map()
    this.io = {
      beforeOpening: undefined,
      now,
      elapsed: () => performance.now(),
      store: parts.store,
      ownCopies: new MemoryStore(8e6),
      recompression: new Recompression(parts.store),
      prepared: new PreparedPictures(`${parts.folder}-pictures`),
      rewriter: new PageRewriter(memoizingPool(transformHere()), new GeneratedAssets(parts.store, now)),
      say: (sentence) => {
        throw new Error(sentence)
      },
      report: (error) => {
        this.faults.push(error)
        return 'test-1'
      },
      publicPort: (scheme) => (scheme === 'http' ? 80 : 443),
      origin: new OriginClient(now),
      inFlight: new InFlightRequests(),
      varied: new VaryMemory(),
      links: new PageLinks(),
      counters: new Counters(now()),
      routes: () => this.#routes,
      edges: () => this.#edges,
      instance: parts.instance,
    }
    this.contact = new Contact(now)
    Object.assign(this.io, { contact: this.contact })
    Object.assign(this.io, { sessions: new EmptySessions(this.io), nextPages: this.nextPages })
    this.certificates = new Certificates(join(parts.folder, '..', `${basename(parts.folder)}-tls`), now)
    this.#cluster = THROUGH_FURTHER ? new BenchCluster(this.io, parts.store) : undefined
    const visited = this.#cluster?.furtherIo ?? this.io
    this.#listener = createListener(visited)
    this.#secure = createSecureListener(visited, this.certificates)
    this.#listener.on('request', () => this.arrived++)
    this.port = 0
  }

  static async open(
    remedies: Remedies = { pageCache: {} },
    folder?: string,
    instance = 'zest-lamp-test',
  ): Promise<DeliveryBench> {
    const where = folder ?? (await mkdtemp(join(tmpdir(), 'zest-delivery-')))
    const store = await IndexedStore.onDisk(where, { memoryBytes: 8e6, diskBytes: 64e6 }, (sentence) => {
      throw new Error(sentence)
    })
    const holder: { bench?: DeliveryBench } = {}
    const origin = createServer((req, res) => {
      const bench = holder.bench!
      const chunks: Buffer[] = []
      req.on('data', (chunk: Buffer) => chunks.push(chunk))
      req.on('end', () => {
        bench.asked.push({
          line: `${req.method} ${req.url}`,
          headers: req.headers,
          body: Buffer.concat(chunks).toString(),
        })
        bench.handler(req, res)
      })
    })
    const originPort = await listen(origin)
    const bench = new DeliveryBench({ folder: where, store, originPort, origin, instance })
    holder.bench = bench
    Object.assign(bench, { port: await listen(bench.#listener), securePort: await listen(bench.#secure) })
    await bench.#cluster?.ready
    bench.use(setupWith(remedies))
    return bench
  }

  /** Live gets this setup; trial too unless it has one of its own. */
  use(
    live: Setup,
    {
      trial = live,
      key = undefined as string | undefined,
      base = this.originBase,
      timeoutMs = 5000,
      tls = undefined as DeliverySite['tls'],
      privateAddresses = 'allowed' as 'allowed' | 'refused',
      knowledge = [] as DeliverySite['knowledge'],
      publicAddress = undefined as string | undefined,
      challenges = [] as DeliverySite['challenges'],
    } = {},
  ): void {
    const config: DeliveryConfig = {
      revision: 1,
      sites: [
        {
          siteId: 's',
          challenges,
          origin: {
            base,
            timeoutMs,
            privateAddresses,
            ...(publicAddress === undefined ? { hostHeader: 'visitor' } : { hostHeader: 'public', publicAddress }),
          },
          ...(tls === undefined ? {} : { tls }),
          knowledge,
          channels: [
            { channel: 'live', hosts: ['live.example'], setup: live },
            {
              channel: 'trial',
              hosts: ['trial.example'],
              setup: trial,
              ...(key === undefined ? {} : { key }),
            },
          ],
        },
      ],
    }
    this.useConfig(config)
  }

  /** The configuration in force. */
  config: DeliveryConfig = { revision: 0, sites: [] }

  useConfig(config: DeliveryConfig): void {
    this.config = config
    this.certificates.use(config)
    this.#routes = compileRoutes(config)
    this.#edges = edgeKeysOf(config)
    this.#cluster?.configure(config, this.#edges)
  }

  get originBase(): string {
    return `http://127.0.0.1:${this.#originPort}`
  }

  async ask(path: string, options: Parameters<DeliveryBench['askNow']>[1] = {}): Promise<Answer> {
    await this.#cluster?.settled()
    const answer = await this.askNow(path, options)
    await this.#cluster?.settled()
    return answer
  }

  askNow(
    path: string,
    {
      method = 'GET',
      headers = {},
      body,
      host = 'live.example',
    }: { method?: string; headers?: Record<string, string>; body?: string; host?: string } = {},
  ): Promise<Answer> {
    return new Promise((resolve, reject) => {
      const outgoing = request(
        { host: '127.0.0.1', port: this.port, path, method, headers: { host, ...headers }, agent: false },
        (res) => {
          const chunks: Buffer[] = []
          res.on('data', (chunk: Buffer) => chunks.push(chunk))
          res.on('error', reject)
          res.on('aborted', () => reject(new Error('cut')))
          res.on('end', () =>
            resolve({
              status: res.statusCode!,
              headers: res.headers,
              body: Buffer.concat(chunks),
              cacheStatus: String(res.headers['cache-status'] ?? ''),
            }),
          )
        },
      )
      outgoing.on('error', reject)
      outgoing.end(body)
    })
  }

  /** Cache-Status without our name. */
  async status(path: string, options?: Parameters<DeliveryBench['ask']>[1]): Promise<string> {
    return (await this.ask(path, options)).cacheStatus.replace('zest-lamp; ', '')
  }

  async close({ keepFolder = false } = {}): Promise<void> {
    this.#secure.close()
    this.#cluster?.close()
    await Promise.all([close(this.#listener), close(this.#origin)])
    await this.io.rewriter.pictures.settled()
    await this.#store.close()
    this.io.origin.close()
    for (const beside of ['tls', 'pictures']) await rm(`${this.folder}-${beside}`, { recursive: true, force: true })
    if (!keepFolder) await rm(this.folder, { recursive: true, force: true })
  }

  get store(): IndexedStore {
    return this.#store
  }

  /** The origin itself, for tests of what is no ordinary request. */
  get origin(): Server {
    return this.#origin
  }

  /** The origin goes away. */
  stopOrigin(): Promise<void> {
    return close(this.#origin)
  }
}
