import { randomBytes } from 'node:crypto'
import { chmod } from 'node:fs/promises'
import type { Server } from 'node:http'
import type { Http2SecureServer } from 'node:http2'
import { join } from 'node:path'
import { performance } from 'node:perf_hooks'
import { inBackground } from '../core/in-background.ts'
import { STORE_BYTES, type PurgeOrder } from '../core/contracts/delivery.ts'
import { type DeliveryConfig } from '../core/contracts/delivery-config.ts'
import { PageLinks } from '../core/watching/page-links.ts'
import { epochMs } from '../core/time.ts'
import { loadConfig, saveConfig } from './process/config-file.ts'
import { actionsOf } from './control/actions.ts'
import { Announcements } from './control/announcements.ts'
import { createControlChannel } from './control/channel.ts'
import { Contact } from './purge/contact.ts'
import { claimSocket } from '../process/claim-socket.ts'
import { certificatesFolder, ownKey } from './control/own-key.ts'
import { controlSocketPath } from '../process/socket-path.ts'
import { Counters } from './metrics/counters.ts'
import { KeptCounters } from './metrics/counters-file.ts'
import { keyPartition } from '../core/cache/cache-key.ts'
import { sharedPartitions } from './cache-keys/partitions.ts'
import type { DeliveryIo } from './respond/request-context.ts'
import { InFlightRequests } from './fetch/request-collapsing.ts'
import { Recompression } from './respond/recompression.ts'
import { Draining } from './process/draining.ts'
import { EmptySessions } from './observation/empty-sessions.ts'
import { createListener, createSecureListener } from './listener/listener.ts'
import { createLog } from '../process/log.ts'
import { OriginClient } from './fetch/origin-client.ts'
import { purgeElsewhere } from './purge/purge.ts'
import { SavedEdits } from './observation/saved-edits.ts'
import { NextPages } from './observation/next-pages.ts'
import { KeptNextPages } from './observation/next-pages-file.ts'
import { loadKept, saveKept } from '../process/kept-file.ts'
import { relearnLinks } from './observation/relearn-links.ts'
import { BackgroundRevalidation } from './fetch/background-revalidation.ts'
import { workerPool } from './transform/worker-pool.ts'
import { GeneratedAssets } from './transform/generated-assets.ts'
import { memoizingPool } from './transform/memoizing-pool.ts'
import { PageRewriter } from './transform/page-rewriter.ts'
import { PreparedPictures } from './transform/prepared-pictures.ts'
import { ownFolder } from '../process/own-folder.ts'
import { edgeKeysOf } from './request/edge-access.ts'
import { RouteCompiler, rewrittenAnew, type Routes } from './request/routes.ts'
import { VaryMemory } from './fetch/vary-memory.ts'
import { BeforeOpening } from './store/before-opening.ts'
import { IndexedStore } from './store/indexed-store.ts'
import { MemoryStore } from './store/memory-store.ts'
import { Certificates } from './listener/certificates.ts'

const dataDir = process.env['ZEST_DATA_DIR'] ?? './data'
const port = Number(process.env['ZEST_PORT'] ?? 8400) + 10
const securePort = port + 1
/** Where a load balancer or a port mapping stands in front, visitors see other ports than the ones listened on. */
const publicPorts = {
  http: Number(process.env['ZEST_PUBLIC_HTTP_PORT'] ?? port),
  https: Number(process.env['ZEST_PUBLIC_HTTPS_PORT'] ?? securePort),
}
const address = process.env['ZEST_DELIVERY_ADDRESS'] ?? '127.0.0.1'

const instance = `zest-lamp-${randomBytes(6).toString('hex')}`
const log = createLog('delivery', instance, process.env['ZEST_LOG_LEVEL'])

/** Whether this process takes the place of one that still serves the same data. */
const takesOver = process.env['ZEST_TAKES_OVER'] === '1'

/** Exit code for a cause that starting again will not fix. */
const EXIT_CONFIG = 78

/** A crash loses no more than this of the sums. */
const KEEP_COUNTERS_MS = 15_000
/** What is learnt of visits changes slowly. */
const KEEP_NEXT_PAGES_MS = 5 * 60_000

const listen = (
  server: Server | Http2SecureServer,
  where: { port: number; host: string } | { path: string; exclusive: true },
): Promise<void> =>
  new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(where, resolve)
  })

const LIMITS = {
  memoryBytes: 192 * 1024 * 1024,
  diskBytes: STORE_BYTES,
  ownCopiesBytes: 64 * 1024 * 1024,
}

const now = (): ReturnType<DeliveryIo['now']> => epochMs(Date.now())
const pool = workerPool({
  pageWorker: join(import.meta.dirname, 'page-worker.mjs'),
  bulkWorker: join(import.meta.dirname, 'bulk-worker.mjs'),
})

/** The store on this machine's disk, or in the server that ZEST_STORE_URL names. */
const openStore = (folder: string, onPurged: (order: PurgeOrder) => void): Promise<IndexedStore> => {
  const url = process.env['ZEST_STORE_URL'] ?? ''
  if (url === '') return IndexedStore.onDisk(folder, LIMITS, log.say)
  return IndexedStore.inServer(url, LIMITS, log.say, onPurged).catch((error: Error) => {
    console.error(
      `The server of the store (ZEST_STORE_URL) cannot be reached: ${error.message}. Check the address and that it runs, or leave ZEST_STORE_URL out to store on this machine's disk.`,
    )
    process.exit(EXIT_CONFIG)
  })
}

/** The store; what other processes purge is carried out here as soon as there is something to carry it out with. */
const openShared = async (folder: string): Promise<{ store: IndexedStore; share: (io: DeliveryIo) => void }> => {
  let shared: DeliveryIo | undefined
  const store = await openStore(folder, (order) => {
    if (shared === undefined) return
    purgeElsewhere(order, shared).catch((error: unknown) => log.report(error, { purging: order }))
  })
  return { store, share: (io) => void (shared = io) }
}

/** Listen for visitors, or say what is in the way and end. */
const listenPublicly = (server: Server | Http2SecureServer, where: number): Promise<void> =>
  listen(server, { port: where, host: address }).catch((error: NodeJS.ErrnoException) => {
    console.error(
      error.code === 'EADDRINUSE'
        ? `Port ${where} is taken by another program. Stop it, or start Zest Lamp with another ZEST_PORT (delivery uses ZEST_PORT + 10 and + 11).`
        : `Delivery cannot listen on port ${where}: ${error.message}`,
    )
    process.exit(EXIT_CONFIG)
  })

/** Another process that serves the same data ends, since this one takes its place; it has this long for its last answers, ms. */
const LONGEST_HANDOVER_MS = 60_000
const BETWEEN_TRIES_MS = 50

/** Two processes must never write the same files: the data directory is claimed before anything in it is opened. */
const claimData = async (socketPath: string): Promise<void> => {
  const deadline = performance.now() + LONGEST_HANDOVER_MS
  for (;;) {
    try {
      return await claimSocket(socketPath, dataDir)
    } catch (error) {
      // Only who is started in the place of another may wait for its end.
      if (!takesOver || performance.now() > deadline) {
        console.error((error as Error).message)
        process.exit(EXIT_CONFIG)
      }
      await new Promise((resolve) => setTimeout(resolve, BETWEEN_TRIES_MS))
    }
  }
}

/** What answering needs, before the store is open. @param folder of the store */
const beginBefore = (folder: string, routes: () => Routes): DeliveryIo => {
  const inServer = (process.env['ZEST_STORE_URL'] ?? '') !== ''
  const beforeOpening = new BeforeOpening(inServer ? undefined : folder)
  const { store } = beforeOpening
  return {
    beforeOpening,
    now,
    elapsed: () => performance.now(),
    say: log.say,
    report: log.report,
    store,
    ownCopies: new MemoryStore(LIMITS.ownCopiesBytes),
    recompression: new Recompression(store),
    rewriter: new PageRewriter(memoizingPool(pool), new GeneratedAssets(store, now)),
    publicPort: (scheme) => publicPorts[scheme],
    origin: new OriginClient(),
    inFlight: new InFlightRequests(),
    varied: new VaryMemory(),
    links: new PageLinks(),
    counters: new Counters(epochMs(Date.now())),
    routes,
    instance,
  }
}

/** Has something kept on disk from time to time, and once more at the end; what cannot be kept is said. */
const keepSaving = (what: string, everyMs: number, save: () => Promise<void>): { end: () => Promise<void> } => {
  // One at a time: two would write into the same file on the way.
  let last = Promise.resolve()
  const saveNext = (): Promise<void> =>
    (last = last.then(save).catch((error: Error) => log.say(`The ${what} could not be kept: ${error.message}`)))
  const keeping = setInterval(() => {
    inBackground(saveNext(), (error) => log.report(error, { keeping: what }))
  }, everyMs)
  return {
    end: () => {
      clearInterval(keeping)
      return saveNext()
    },
  }
}

/** Sums of what was answered. */
const keepCounters = async (path: string, counters: Counters): Promise<{ end: () => Promise<void> }> => {
  const kept = await loadKept(path, KeptCounters)
  if (kept !== undefined) counters.goOn(kept)
  return keepSaving('counters', KEEP_COUNTERS_MS, () => saveKept(path, counters.kept()))
}

/** Which pages follow which. */
const keepNextPages = async (path: string, nextPages: NextPages): Promise<{ end: () => Promise<void> }> => {
  const kept = await loadKept(path, KeptNextPages)
  if (kept !== undefined) nextPages.goOn(kept)
  return keepSaving('order of pages', KEEP_NEXT_PAGES_MS, () => saveKept(path, nextPages.kept()))
}

/** What was already on its way when a fault showed goes on: one visitor's request must not end everybody's. */
const surviveFaults = (): void => {
  process.on('uncaughtException', (error) => log.report(error, { outside: 'any request' }))
  process.on('unhandledRejection', (error) => log.report(error, { outside: 'any request' }))
}

/** Ends once, in good order, when the process is told to; what goes wrong then is written down. */
const stopOnSignals = (stop: () => Promise<void>): void => {
  let stopping: Promise<void> | undefined
  for (const signal of ['SIGTERM', 'SIGINT'] as const)
    process.on(signal, () => {
      stopping ??= stop()
      inBackground(stopping, (error) => {
        log.report(error, { stopping: signal })
        process.exit(1)
      })
    })
}

const main = async (): Promise<void> => {
  process.umask(0o077)
  const folder = join(dataDir, 'delivery')
  await ownFolder(dataDir)
  await ownFolder(folder)
  const socketPath = controlSocketPath(dataDir)
  if (!takesOver) await claimData(socketPath)
  const configPath = join(folder, 'setups.json')
  let config = await loadConfig(configPath)
  const compiler = new RouteCompiler()
  let routes = compiler.compile(config)
  let edges = edgeKeysOf(config)
  const announcements = new Announcements()
  const contact = new Contact(now)
  const prepared = new PreparedPictures(join(dataDir, 'pictures'))
  const io: { -readonly [K in keyof DeliveryIo]: DeliveryIo[K] } = {
    ...beginBefore(join(folder, 'store'), () => routes),
    edges: () => edges,
    contact,
    prepared,
    announce: (order) => announcements.announce(order),
  }
  const certificates = new Certificates(certificatesFolder(dataDir), () => Date.now())
  // There before anybody needs it: the lab's browser is told of it when it starts.
  inBackground(ownKey(certificatesFolder(dataDir)), (error) => log.report(error, { making: 'the key of certificates' }))
  certificates.use(config)
  const [listener, secureListener] = [createListener(io), createSecureListener(io, certificates)]
  const drains = [new Draining(listener), new Draining(secureListener)]
  await listenPublicly(listener, port)
  await listenPublicly(secureListener, securePort)
  surviveFaults()
  // Whoever starts processes may end the one before from now on.
  process.send?.({ kind: 'listening' })
  if (takesOver) await claimData(socketPath)
  const { store, share } = await openShared(join(folder, 'store'))
  const counters = await keepCounters(join(folder, 'counters.json'), io.counters)
  // The last one may have been given another configuration while this one began.
  config = await loadConfig(configPath)
  routes = compiler.compile(config)
  edges = edgeKeysOf(config)
  certificates.use(config)
  Object.assign(io, {
    beforeOpening: undefined,
    store,
    recompression: new Recompression(store),
    rewriter: new PageRewriter(memoizingPool(pool), new GeneratedAssets(store, now)),
  })
  share(io)
  const revalidation = new BackgroundRevalidation(io)
  io.edits = new SavedEdits(io)
  io.sessions = new EmptySessions(io)
  const nextPages = new NextPages()
  const keptNextPages = await keepNextPages(join(folder, 'next-pages.json'), nextPages)
  io.nextPages = nextPages
  inBackground(prepared.refreshAll(), (error) => log.report(error, { reading: 'lighter pictures' }))
  inBackground(relearnLinks(io), (error) => log.report(error, { reading: 'the links of stored pages' }))
  const configure = async (next: DeliveryConfig): Promise<void> => {
    // Compiled first: a configuration that cannot be used must not replace one that can.
    const compiled = compiler.compile(next)
    await saveConfig(configPath, next)
    config = next
    certificates.use(next)
    const anew = rewrittenAnew(routes, compiled).flatMap(sharedPartitions)
    routes = compiled
    edges = edgeKeysOf(next)
    if (anew.length > 0)
      await store.sweep({
        matches: ({ key, rewritten }) => rewritten === true && anew.includes(keyPartition(key)),
        change: () => undefined,
      })
  }
  const control = createControlChannel(
    actionsOf(io, store, revalidation, nextPages, { configure, announcements, contact }),
  )
  // Not shared with other processes of the same supervisor: it stands for the data directory.
  await listen(control, { path: socketPath, exclusive: true })
  await chmod(socketPath, 0o600)
  stopOnSignals(async () => {
    await Promise.all(drains.map((one) => one.end()))
    await counters.end()
    await keptNextPages.end()
    await pool.close()
    await store.close()
    // Last: whoever takes this place begins when nobody answers here any more.
    control.close()
    control.closeAllConnections()
    process.exit(0)
  })
  console.log(`delivery ready on port ${port}, ${config.sites.length} site(s)`)
}

await main()
