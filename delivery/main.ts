import { randomBytes } from 'node:crypto'
import { chmod, mkdir } from 'node:fs/promises'
import type { Server } from 'node:http'
import type { Http2SecureServer } from 'node:http2'
import { join } from 'node:path'
import { performance } from 'node:perf_hooks'
import type { PurgeOrder } from '../core/contracts/delivery.ts'
import { epochMs } from '../core/time.ts'
import { loadConfig, saveConfig } from './config-file.ts'
import { createControlChannel } from './control/channel.ts'
import { claimSocket } from './control/claim-socket.ts'
import { controlSocketPath } from './control/socket-path.ts'
import { Counters } from './counting/counters.ts'
import { loadCounters, saveCounters } from './counting/counters-file.ts'
import { keyPartition } from '../core/http/cache-key.ts'
import { sharedPartitions, type DeliveryIo } from './exchange.ts'
import { Flights } from './flights.ts'
import { BestCodings } from './answer/best-codings.ts'
import { createListener, createSecureListener } from './listener.ts'
import { createLog } from './log.ts'
import { OriginClient } from './origin/origin-client.ts'
import { purge, purgeElsewhere } from './purging.ts'
import { Refresher } from './refresher.ts'
import { changesOf } from './rewriting/changes-of.ts'
import { craftElsewhere } from './rewriting/craft-elsewhere.ts'
import { MadeFiles } from './rewriting/made-files.ts'
import { rememberingCraft } from './rewriting/remembering-craft.ts'
import { Rewriter } from './rewriting/rewriter.ts'
import { compileRoutes, rewrittenAnew } from './routing.ts'
import { coverageOf, listStore } from './store/listing.ts'
import { VaryMemory } from './vary-memory.ts'
import { IndexedStore } from './store/indexed-store.ts'
import { MemoryStore } from './store/memory-store.ts'
import { Certificates } from './tls/certificates.ts'

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
const log = createLog(instance, process.env['ZEST_LOG_LEVEL'])

/** Exit code for a cause that starting again will not mend. */
const EXIT_CONFIG = 78

/** A crash loses no more than this of the sums. */
const KEEP_COUNTERS_MS = 15_000

const listen = (
  server: Server | Http2SecureServer,
  where: { port: number; host: string } | { path: string },
): Promise<void> =>
  new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(where, resolve)
  })

const LIMITS = { memoryBytes: 256 * 1024 * 1024, diskBytes: 4 * 1024 * 1024 * 1024 }

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

const main = async (): Promise<void> => {
  const folder = join(dataDir, 'delivery')
  await mkdir(folder, { recursive: true })
  const socketPath = controlSocketPath(dataDir)
  // Before the store is opened: two processes must never write the same files.
  await claimSocket(socketPath, dataDir).catch((error: Error) => {
    console.error(error.message)
    process.exit(EXIT_CONFIG)
  })
  const configPath = join(folder, 'setups.json')
  const shared: { io?: DeliveryIo } = {}
  const store = await openStore(join(folder, 'store'), (order) => {
    if (shared.io !== undefined) purgeElsewhere(order, shared.io)
  })
  let config = await loadConfig(configPath)
  let routes = compileRoutes(config)
  const now = (): ReturnType<DeliveryIo['now']> => epochMs(Date.now())
  const craft = craftElsewhere({
    pageWorker: join(import.meta.dirname, 'page-worker.mjs'),
    bulkWorker: join(import.meta.dirname, 'bulk-worker.mjs'),
  })
  const io: DeliveryIo = {
    now,
    rewriter: new Rewriter(rememberingCraft(craft), new MadeFiles(store, now)),
    say: log.say,
    report: log.report,
    elapsed: () => performance.now(),
    store,
    ownCopies: new MemoryStore(64 * 1024 * 1024),
    bestCodings: new BestCodings(store),
    publicPort: (scheme) => publicPorts[scheme],
    origin: new OriginClient(),
    flights: new Flights(),
    varied: new VaryMemory(),
    counters: new Counters(epochMs(Date.now())),
    routes: () => routes,
    instance,
  }
  shared.io = io
  const countersPath = join(folder, 'counters.json')
  const kept = await loadCounters(countersPath)
  if (kept !== undefined) io.counters.goOn(kept)
  // One at a time: two would write into the same file on the way.
  let lastKept = Promise.resolve()
  const keepCounters = (): Promise<void> =>
    (lastKept = lastKept
      .then(() => saveCounters(countersPath, io.counters.kept()))
      .catch((error: Error) => log.say(`The counters could not be kept: ${error.message}`)))
  const keeping = setInterval(() => void keepCounters(), KEEP_COUNTERS_MS)
  const refresher = new Refresher(io)
  const certificates = new Certificates(join(folder, 'tls'), () => Date.now())
  certificates.use(config)
  const listener = createListener(io)
  const secureListener = createSecureListener(io, certificates)
  await listenPublicly(listener, port)
  await listenPublicly(secureListener, securePort)
  const control = createControlChannel({
    configure: async (next) => {
      // Compiled first: a configuration that cannot be used must not replace one that can.
      const compiled = compileRoutes(next)
      await saveConfig(configPath, next)
      config = next
      certificates.use(next)
      const anew = rewrittenAnew(routes, compiled).flatMap(sharedPartitions)
      routes = compiled
      if (anew.length > 0)
        store.purge(({ key, rewritten }) => rewritten === true && anew.includes(keyPartition(key)))
    },
    purge: async (order) => {
      const purged = purge(order, io, (stale) => refresher.add(stale))
      // A process that is killed the next moment must not come back with what was purged.
      await store.flushed()
      return purged
    },
    traffic: (siteId) => ({ ...io.counters.traffic(siteId, store), unrewritten: io.rewriter.failed(siteId) }),
    listStore: (query) => listStore(query, io),
    coverage: (query) => coverageOf(query, io),
    changes: (query) => changesOf(query, io),
    preparing: (siteId) => ({ waiting: io.rewriter.waiting(siteId) }),
  })
  await listen(control, { path: socketPath })
  await chmod(socketPath, 0o600)
  const stop = async (): Promise<void> => {
    listener.close()
    secureListener.close()
    control.close()
    listener.closeIdleConnections()
    clearInterval(keeping)
    await keepCounters()
    await craft.close()
    await store.close()
    process.exit(0)
  }
  process.on('SIGTERM', () => void stop())
  process.on('SIGINT', () => void stop())
  console.log(`delivery ready on port ${port}, ${config.sites.length} site(s)`)
}

await main()
