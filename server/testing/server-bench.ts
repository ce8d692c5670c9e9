import { existsSync } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { createServer, type IncomingHttpHeaders, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { setImmediate } from 'node:timers/promises'
import { join } from 'node:path'
import { getTableName, is, sql } from 'drizzle-orm'
import { PgTable } from 'drizzle-orm/pg-core'
import type { ChangesQuery, PurgeOrder, Traffic } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import type { TextRecord } from '../../core/contracts/certificates.ts'
import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { PageChange } from '../../core/contracts/page-changes.ts'
import type { SnapshotOrder, SnapshotOutcome } from '../../core/contracts/safety.ts'
import type { LoadStep } from '../../core/contracts/load-tests.ts'
import type { FileSecret } from '../../core/contracts/file-connections.ts'
import type { DatabaseSecret } from '../../core/contracts/site-databases.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { absentAddress, type AddressState, type StoredSummary } from '../../core/contracts/store.ts'
import type { Visited, WarmOrder, WarmResult } from '../../core/contracts/warm-up.ts'
import type { PageSequences } from '../../core/contracts/next-pages.ts'
import { createControlChannel, type ControlActions } from '../../delivery/control/channel.ts'
import { DeliveryClient } from '../../delivery/control/client.ts'
import { controlSocketPath, objectsSocketPath } from '../../process/socket-path.ts'
import { digestToken } from '../accounts/secrets.ts'
import { createApp } from '../app.ts'
import { openDatabase, type Database } from '../db/database.ts'
import * as schema from '../db/schema.ts'
import * as plannerSchema from '../db/planner-schema.ts'
import * as goingLiveSchema from '../db/going-live-schema.ts'
import * as edgesSchema from '../db/edges-schema.ts'
import * as objectsSchema from '../db/objects-schema.ts'
import * as loadTestsSchema from '../db/load-tests-schema.ts'
import * as cdnSchema from '../db/cdn-schema.ts'
import * as serverRulesSchema from '../db/server-rules-schema.ts'
import * as picturesSchema from '../db/pictures-schema.ts'
import * as upkeepSchema from '../db/upkeep-schema.ts'
import * as warmUpSchema from '../db/warm-up-schema.ts'
import { CdnPurges } from '../cdn/cdn-purges.ts'
import { EdgeFleet } from '../edges/edge-fleet.ts'
import { EventBus, type LiveEvent } from '../live/event-bus.ts'
import { controlNames } from '../net/control-names.ts'
import { jobHandlers } from '../job-handlers.ts'
import { JobQueue } from '../jobs/job-queue.ts'
import type { LabClient } from '../jobs/lab-client.ts'
import { CookieOrders } from '../privacy/cookie-search.ts'
import { PrivacyOrders } from '../privacy/privacy-checks.ts'
import { ObjectsClient } from '../../objects/control/client.ts'
import { ObjectsPublisher } from '../objects/objects-publisher.ts'
import { chooseVariants, factsOf } from '../pictures/picture-tasks.ts'
import type { PictureMaker } from '../pictures/picture-worker.ts'
import { Publisher } from '../release/publisher.ts'
import { LoadOrders } from '../load-tests/load-tests.ts'
import { holdRate } from '../../lab/load/hold-rate.ts'
import type { LoadTask } from '../../lab/load/load-messages.ts'
import { runSimulation } from '../../core/planner/run-simulation.ts'
import { aRequest, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { aSight } from '../../core/safety/testing/sights.ts'
import { openEmbeddedDatabase } from '../upkeep/embedded-database.ts'
import { ownScratch, type ScratchDatabases } from '../upkeep/scratch-database.ts'
import { Recordings } from '../measuring/recordings.ts'
import type { RoundClock } from '../warmup/round-work.ts'
import type { Services } from '../routes/services.ts'

/** A clock whose pauses take no time. */
const quickClock = (): RoundClock => {
  let elapsed = 0
  return {
    elapsed: () => elapsed,
    pause: async (ms, signal) => {
      await setImmediate()
      signal.throwIfAborted()
      elapsed += ms
    },
    now: () => new Date(),
  }
}

/** For tests: the whole API over a database in memory, a delivery that writes down what it is told, and a lab that answers by rule. */

export const TOKEN = 'test-token'

export type LabRule = (order: RunOrder) => RunOutcome | Promise<RunOutcome>
export type LookRule = (order: SnapshotOrder) => SnapshotOutcome | Promise<SnapshotOutcome>

/** A page load that took so long. */
export const measured = (lcpMs: number): RunOutcome => ({
  kind: 'measured',
  metrics: someMetrics(lcpMs, {
    ttfbMs: 50,
    loadedMs: lcpMs + 100,
    cls: 0.01,
    requests: 1,
    decodedBytes: 3000,
  }),
  requests: [
    aRequest({
      url: 'http://x/',
      connectMs: 10,
      waitMs: 40,
      receiveMs: 5,
      responseFields: [['content-type', 'text/html']],
    }),
  ],
  details: null,
  frames: [],
})

const listen = (server: Server): Promise<number> =>
  new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)))

/** Beside the sources, or where a build of a benchmark finds them. */
const MIGRATIONS = ['../db/migrations', 'migrations']
  .map((folder) => join(import.meta.dirname, folder))
  .find((folder) => existsSync(folder))

/** One database for each test file; opening one takes longer than most tests. */
let shared: Promise<Database> | undefined
const emptyDatabase = async (): Promise<Database> => {
  shared ??= openDatabase({ migrations: MIGRATIONS ?? '' }).then(({ db }) => db)
  const db = await shared
  const tables = Object.values({
    ...schema,
    ...warmUpSchema,
    ...upkeepSchema,
    ...picturesSchema,
    ...loadTestsSchema,
    ...cdnSchema,
    ...serverRulesSchema,
    ...plannerSchema,
    ...objectsSchema,
    ...goingLiveSchema,
    ...edgesSchema,
  }).filter((table) => is(table, PgTable))
  // Most are empty: removing rows is quicker than "truncate", which makes new files for each table. No order of tables suits their references.
  const removals = tables.map((table) => `delete from "${getTableName(table)}";`).join('')
  await db.execute(sql.raw(`do $$ begin set local session_replication_role = replica; ${removals} end $$`))
  return db
}

/** Answers are looked at as they are; the API's own schemas have checked them. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type Json = any

export class ServerBench {
  /** The time, as control knows it. */
  now = (): Date => new Date()
  /** What certificates need of the world outside. */
  readonly authority: { trusted: string | undefined; isVisible: (record: TextRecord) => Promise<boolean> } = {
    trusted: undefined,
    isVisible: async () => false,
  }
  /** Folders of this machine that are open to sites. */
  readonly siteFolders: string[] = []
  /** Where backups are on their way. */
  upkeepFolder = ''
  /** Where lighter pictures are. */
  picturesFolder = ''
  /** Sites whose lighter pictures delivery was told have changed. */
  readonly picturesChanged: string[] = []
  /** Makes pictures lighter in this process; replaceable. */
  readonly pictureMaker: PictureMaker = {
    facts: (bytes) => factsOf(bytes),
    choose: (bytes, plan) => chooseVariants(bytes, plan, async () => undefined),
    end: () => undefined,
  }
  /** Where backups are restored for proof. */
  readonly scratch: ScratchDatabases = {
    open: (engine) => (engine === 'postgresql' ? openEmbeddedDatabase() : ownScratch('/nowhere').open(engine)),
  }
  /** Name servers that are asked. */
  readonly dns: { nameServers: string[] } = { nameServers: ['127.0.0.1:1'] }
  edges!: EdgeFleet
  purging!: CdnPurges
  lab: LabRule = () => measured(1000)
  /** What a close look at a page shows: every time the same, unless a test says otherwise. */
  look: LookRule = () => ({ kind: 'seen', sight: aSight() })
  /** What delivery says the remedies of trial do to pages. */
  changes: PageChange[] = []
  readonly configs: DeliveryConfig[] = []
  readonly purges: PurgeOrder[] = []
  readonly events: LiveEvent[] = []
  readonly errors: unknown[] = []
  services!: Services
  #publisher!: Publisher
  #objectsPublisher!: ObjectsPublisher
  /** Where an object cache is asked, for tests that start one. */
  objectsSocket = '/nowhere/objects.sock'
  url = ''
  /** Answers of the site that is connected, by path. */
  site: (path: string) => { status?: number; headers?: Record<string, string>; body: string | Buffer } | undefined = (
    path,
  ) =>
    path === '/' ? { headers: { 'content-type': 'text/html' }, body: '<title>Home – Test Quay</title>' } : undefined
  siteUrl = ''
  /** Hears what is asked of the site. */
  siteAsked: (fields: IncomingHttpHeaders) => void = () => undefined
  /** Holds back its answers. */
  siteAnswers: () => Promise<void> = async () => undefined
  /** What was asked of delivery about the rewriting of pages. */
  readonly asked: ChangesQuery[] = []
  /** Addresses that delivery was asked to have ready, in order, and what it says of them. */
  readonly warmed: string[] = []
  warm: (order: WarmOrder) => WarmResult | Promise<WarmResult> = () => ({
    outcome: { kind: 'stored' },
    waitsMs: [100],
    missing: [],
  })
  visited: Visited = { schemes: { http: 0, https: 0 }, pages: [] }
  /** What delivery says of an address in the store; nothing: it is absent. */
  coverage: (address: string) => Partial<AddressState> = () => ({})
  traffic: Traffic = { since: 0, channels: [], recent: [], unrewritten: [], storeProblem: null }
  /** What delivery says is stored. */
  stored: StoredSummary[] = []
  /** How much delivery says it has to make ready, answer by answer; then nothing. */
  readonly preparing: number[] = []
  #deliveryPort = 1
  #warmUpClock = quickClock()
  #close: (() => Promise<unknown>)[] = []
  #db!: Database

  /**
   * @param deliveryPort where delivery is asked, for tests that need answers of it
   * @param real what a delivery of its own does in the place of the one that writes down what it is told
   */
  /** How the visitors of load tests fare. */
  holdRate: (task: LoadTask, signal: AbortSignal) => Promise<LoadStep> = holdRate
  /** Which pages follow which. */
  nextPages: PageSequences = { sequences: [] }

  static async open(
    deliveryPort = 1,
    { warmUpClock = quickClock(), ...real }: Partial<ControlActions> & { readonly warmUpClock?: RoundClock } = {},
  ): Promise<ServerBench> {
    const bench = new ServerBench()
    bench.#deliveryPort = deliveryPort
    bench.#warmUpClock = warmUpClock
    const folder = await mkdtemp(join(tmpdir(), 'zest-server-'))
    const channel = createControlChannel({
      configure: async (config) => void bench.configs.push(config),
      purge: async (order) => ({ purged: bench.purges.push(order), orders: [order] }),
      announcements: (res) => void res.writeHead(200).write('\n'),
      contact: () => undefined,
      doubt: () => undefined,
      traffic: () => bench.traffic,
      listStore: async () => ({ total: bench.stored.length, entries: bench.stored }),
      changes: async (query) => {
        bench.asked.push(query)
        return { untouched: null, bytesBefore: 2, bytesAfter: 1, changes: bench.changes }
      },
      preparing: () => ({ waiting: bench.preparing.shift() ?? 0, pages: 0, pictures: 0 }),
      picturesMade: async () => 0,
      picturesChanged: async (siteId) => void bench.picturesChanged.push(siteId),
      coverage: async ({ addresses }) =>
        addresses.map((address) => ({ ...absentAddress(address), ...bench.coverage(address) })),
      visited: async () => bench.visited,
      nextPages: () => bench.nextPages,
      warm: async (order) => {
        bench.warmed.push(order.target)
        return bench.warm(order)
      },
      ...real,
    })
    await new Promise<void>((resolve) => channel.listen(controlSocketPath(folder), resolve))
    const site = createServer((req, res) => {
      bench.siteAsked(req.headers)
      const found = bench.site(req.url ?? '')
      void bench
        .siteAnswers()
        .then(() =>
          res.writeHead(found?.status ?? (found === undefined ? 404 : 200), found?.headers).end(found?.body ?? ''),
        )
    })
    bench.siteUrl = `http://127.0.0.1:${await listen(site)}`
    bench.objectsSocket = objectsSocketPath(folder)
    bench.upkeepFolder = join(folder, 'upkeep')
    bench.picturesFolder = join(folder, 'pictures')
    bench.#db = await emptyDatabase()
    const server = createServer((req, res) => app.callback()(req, res))
    const port = await listen(server)
    bench.url = `http://127.0.0.1:${port}`
    bench.edges = new EdgeFleet('this-boot', Date.now)
    bench.purging = new CdnPurges(bench.edges, { db: bench.#db, now: () => bench.now() }, (error) =>
      bench.errors.push(error),
    )
    const delivery = new DeliveryClient(controlSocketPath(folder), undefined, bench.purging)
    bench.#start(delivery, port)
    const app = createApp(bench.services, '/nowhere', (error) => bench.errors.push(error))
    bench.#close = [
      async () => (
        bench.edges.close(),
        bench.#publisher.close(),
        bench.#objectsPublisher.close(),
        bench.services.jobs.close()
      ),
      async () => [server, site, channel].map((one) => (one.close(), one.closeAllConnections())),
      () => rm(folder, { recursive: true, force: true }),
    ]
    return bench
  }

  #start(delivery: DeliveryClient, port: number): void {
    const events = new EventBus()
    events.listen((event) => this.events.push(event))
    const addresses = { controlPort: port, deliveryPort: this.#deliveryPort, securePort: 2, objectsPort: 3 }
    const orders = {
      privacyOrders: new PrivacyOrders(),
      cookieOrders: new CookieOrders(),
      loadOrders: new LoadOrders(),
      rulesFiles: new Map(),
      serversFolder: join(this.upkeepFolder, '..', 'web-servers'),
      fileAccess: { folders: this.siteFolders, secrets: new Map<string, FileSecret>() },
      databaseSecrets: new Map<string, DatabaseSecret>(),
      upkeepFolder: this.upkeepFolder,
      scratch: this.scratch,
      picturesFolder: this.picturesFolder,
      pictureMaker: this.pictureMaker,
    }
    const lab = {
      run: async (order: RunOrder) => this.lab(order),
      look: async (order: SnapshotOrder) => this.look(order),
      stop: () => undefined,
    } as unknown as LabClient
    const recordings = new Recordings('/nowhere')
    const log = (error: unknown): void => void this.errors.push(error)
    this.#publisher = new Publisher(this.#db, delivery, log)
    const publisher = this.#publisher
    const objects = new ObjectsClient(this.objectsSocket)
    this.#objectsPublisher = new ObjectsPublisher(this.#db, objects, log)
    this.services = {
      db: this.#db,
      delivery,
      events,
      addresses,
      ...orders,
      recordings,
      jobs: new JobQueue(
        this.#db,
        events,
        jobHandlers({
          db: this.#db,
          addresses,
          events,
          lab,
          delivery,
          edges: this.edges,
          objects,
          publisher,
          recordings,
          ...orders,
          now: () => this.now(),
          authority: this.authority,
          dns: this.dns,
          simulator: { run: ({ facts, order }, _signal, onStep) => runSimulation(facts, order, onStep) },
          loadGenerator: { hold: (task, signal) => this.holdRate(task, signal) },
          warmUpClock: this.#warmUpClock,
        }),
        log,
      ),
      publisher,
      objects,
      objectsPublisher: this.#objectsPublisher,
      startTokenDigest: digestToken(TOKEN),
      signInNotice: 'Welcome aboard',
      now: () => new Date(),
      dns: this.dns,
      edges: this.edges,
      authority: this.authority,
      controlCertificate: undefined,
      controlNames: controlNames(['control.example']),
      recheckMs: 20,
    }
  }

  /** A control that starts again on the same database, as after a crash. */
  async restartJobs(): Promise<void> {
    await this.services.jobs.close()
    const { delivery, addresses } = this.services
    this.#start(delivery, addresses.controlPort)
    await this.services.jobs.start()
  }

  async call(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = { authorization: `Bearer ${TOKEN}` },
  ): Promise<{ status: number; body: Json; headers: Headers }> {
    const response = await fetch(`${this.url}/api/v1${path}`, {
      method,
      headers: { ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
      body: typeof body === 'string' ? body : body === undefined ? undefined : JSON.stringify(body),
    })
    const text = await response.text()
    return {
      status: response.status,
      body: text === '' ? undefined : JSON.parse(text),
      headers: response.headers,
    }
  }

  /** What is sent at an address, as bytes. */
  async raw(path: string): Promise<{ status: number; headers: Headers; body: Buffer }> {
    const response = await fetch(`${this.url}/api/v1${path}`, { headers: { authorization: `Bearer ${TOKEN}` } })
    const { status, headers } = response
    return { status, headers, body: Buffer.from(await response.arrayBuffer()) }
  }

  async connect(): Promise<Site> {
    const { body } = await this.call('POST', '/sites', {
      address: this.siteUrl,
      name: 'Test Quay',
      liveHost: 'quay.localhost',
      trialHost: 'trial.quay.localhost',
      privateAddresses: 'allowed',
      sample: [
        { path: '/', kind: 'Home page' },
        { path: '/b', kind: 'B' },
      ],
    })
    return body as Site
  }

  /** The setup that delivery serves under a name right now. */
  served(url: string): Setup | undefined {
    const { hostname } = new URL(url)
    return this.configs.at(-1)?.sites[0]?.channels.find(({ hosts }) => hosts.includes(hostname))?.setup
  }

  /** Put remedies into trial, the named settings besides what they come with. */
  async try(site: Site, remedies: Record<string, Record<string, unknown>>): Promise<Json> {
    const { body: trial } = await this.call('GET', `/sites/${site.id}/trial`)
    const on = Object.fromEntries(
      Object.entries(remedies).map(([id, settings]) => [
        id,
        { ...trial.setup.remedies[id], enabled: true, ...settings },
      ]),
    )
    const setup = { ...trial.setup, remedies: { ...trial.setup.remedies, ...on } }
    return (await this.call('PUT', `/sites/${site.id}/trial`, { setup })).body
  }

  /** Order a measurement and wait for its end. */
  async measure(site: Site, order: Record<string, unknown>): Promise<Json> {
    const { body: head, status } = await this.call('POST', `/sites/${site.id}/measurements`, {
      pageIds: [site.sample[0]!.id],
      visitorIds: ['phone'],
      ...order,
    })
    if (status !== 202) throw new Error(JSON.stringify(head))
    await this.services.jobs.idle()
    return (await this.call('GET', `/sites/${site.id}/measurements/${head.id}`)).body
  }

  async close(): Promise<void> {
    for (const close of this.#close) await close()
  }
}
