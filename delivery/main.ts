import { randomBytes } from 'node:crypto'
import { chmod, rm } from 'node:fs/promises'
import { createServer } from 'node:net'
import { join } from 'node:path'
import { performance } from 'node:perf_hooks'
import { inBackground } from '../core/in-background.ts'
import { STORE_BYTES, type PurgeOrder } from '../core/contracts/delivery.ts'
import { type DeliveryConfig } from '../core/contracts/delivery-config.ts'
import { loadConfig, saveConfig } from './process/config-file.ts'
import { actionsOf } from './control/actions.ts'
import { Announcements } from './control/announcements.ts'
import { createControlChannel } from './control/channel.ts'
import { Contact } from './purge/contact.ts'
import { claimSocket } from '../process/claim-socket.ts'
import { certificatesFolder, ownKey } from './control/own-key.ts'
import { clusterMessagesPath, clusterRequestsPath, controlSocketPath } from '../process/socket-path.ts'
import { FurtherProcesses } from './cluster/further-processes.ts'
import type { Counters } from './metrics/counters.ts'
import { KeptCounters } from './metrics/counters-file.ts'
import { keyPartition } from '../core/cache/cache-key.ts'
import { sharedPartitions } from './cache-keys/partitions.ts'
import type { DeliveryIo } from './respond/request-context.ts'
import { Recompression } from './respond/recompression.ts'
import { EXIT_CONFIG, listen, listenPublicly, publicAddresses } from './process/addresses.ts'
import { Draining } from './process/draining.ts'
import { initialIo, now, transformers } from './process/initial-io.ts'
import { stopOnSignals, surviveFaults } from './process/lifetime.ts'
import { EmptySessions } from './observation/empty-sessions.ts'
import { createInnerListener, createListener, createSecureListener } from './listener/listener.ts'
import { createLog } from '../process/log.ts'
import { purgeElsewhere } from './purge/purge.ts'
import { SavedEdits } from './observation/saved-edits.ts'
import { NextPages } from './observation/next-pages.ts'
import { KeptNextPages } from './observation/next-pages-file.ts'
import { loadKept, saveKept } from '../process/kept-file.ts'
import { relearnLinks } from './observation/relearn-links.ts'
import { BackgroundRevalidation } from './fetch/background-revalidation.ts'
import { GeneratedAssets } from './transform/generated-assets.ts'
import { memoizingPool } from './transform/memoizing-pool.ts'
import { PageRewriter } from './transform/page-rewriter.ts'
import { PreparedPictures } from './transform/prepared-pictures.ts'
import { ownFolder } from '../process/own-folder.ts'
import { edgeKeysOf } from './request/edge-access.ts'
import { RouteCompiler, rewrittenAnew, type Routes } from './request/routes.ts'
import { BeforeOpening } from './store/before-opening.ts'
import { IndexedStore } from './store/indexed-store.ts'
import { Certificates } from './listener/certificates.ts'

const dataDir = process.env['ZEST_DATA_DIR'] ?? './data'
const addresses = publicAddresses(process.env)

const instance = `zest-lamp-${randomBytes(6).toString('hex')}`
const log = createLog('delivery', instance, process.env['ZEST_LOG_LEVEL'])

/** Whether this process takes the place of one that still serves the same data. */
const takesOver = process.env['ZEST_TAKES_OVER'] === '1'

/** A crash loses no more than this of the sums. */
const KEEP_COUNTERS_MS = 15_000
/** What is learnt of visits changes slowly. */
const KEEP_NEXT_PAGES_MS = 5 * 60_000

const LIMITS = {
  memoryBytes: 192 * 1024 * 1024,
  diskBytes: STORE_BYTES,
}

const pool = transformers()

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
  const { publicPorts } = addresses
  return initialIo(beforeOpening.store, { beforeOpening, pool, publicPorts, instance, log, routes })
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

/**
 * Where further processes of this machine meet this one. Where this one takes the place of another, they come over when the other lets them go: the
 * names of the sockets are this one's from now on, so nobody closes them, which would remove them.
 * @returns lets answers under way end
 */
const meetFurther = async (io: DeliveryIo, further: FurtherProcesses): Promise<() => Promise<void>> => {
  const requests = createInnerListener(io)
  const draining = new Draining(requests, () => undefined)
  const messages = createServer((socket) => further.accept(socket))
  for (const [server, path] of [
    [requests, clusterRequestsPath(dataDir)],
    [messages, clusterMessagesPath(dataDir)],
  ] as const) {
    await rm(path, { force: true })
    // Not shared with other processes of the same supervisor: it stands for this one.
    await listen(server, { path, exclusive: true })
    await chmod(path, 0o600)
  }
  return () => {
    further.end()
    return draining.end()
  }
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
  const further = new FurtherProcesses(io, config)
  io.confirmedEverywhere = () => further.confirmed()
  await listenPublicly(listener, addresses.host, addresses.port)
  await listenPublicly(secureListener, addresses.host, addresses.securePort)
  const partFromFurther = await meetFurther(io, further)
  surviveFaults(log)
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
  further.use(store)
  await further.configure(config)
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
    await further.configure(next)
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
  stopOnSignals(log, async () => {
    await Promise.all([partFromFurther(), ...drains.map((one) => one.end())])
    await counters.end()
    await keptNextPages.end()
    await pool.close()
    await store.close()
    // Last: whoever takes this place begins when nobody answers here any more.
    control.close()
    control.closeAllConnections()
    process.exit(0)
  })
  console.log(`delivery ready on port ${addresses.port}, ${config.sites.length} site(s)`)
}

await main()
