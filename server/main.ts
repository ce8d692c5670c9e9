import { randomUUID } from 'node:crypto'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { createServer as createLock } from 'node:net'
import { chmod, mkdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import pino from 'pino'
import { needsTls } from '../process/own-certificate.ts'
import type { FileSecret } from '../core/contracts/file-connections.ts'
import { claimSocket } from '../process/claim-socket.ts'
import { inBackground } from '../core/in-background.ts'
import { ownKeyDigest } from '../delivery/control/own-key.ts'
import { DeliveryClient } from '../delivery/control/client.ts'
import { ObjectsClient } from '../objects/control/client.ts'
import { controlLockPath, controlSocketPath, objectsSocketPath } from '../process/socket-path.ts'
import { digestToken } from './accounts/secrets.ts'
import { createApp } from './app.ts'
import { DamagedDatabase, openDatabase } from './db/database.ts'
import { useKeyFile, WrongSecretKey } from './db/secret-text.ts'
import { EventBus } from './live/event-bus.ts'
import { createControlServer } from './http/control-listener.ts'
import { controlNames } from './net/control-names.ts'
import { EdgeFleet } from './edges/edge-fleet.ts'
import { CdnPurges } from './cdn/cdn-purges.ts'
import { followHomePurges } from './edges/home-purges.ts'
import { loadEdges } from './edges/own-edges.ts'
import { startDnsWatch } from './golive/dns-watch.ts'
import { recordFinder } from './golive/find-record.ts'
import { startRenewals } from './golive/renewals.ts'
import { jobHandlers } from './job-handlers.ts'
import { JobQueue } from './jobs/job-queue.ts'
import { LabClient } from './jobs/lab-client.ts'
import { Recordings } from './measuring/recordings.ts'
import { CookieOrders } from './privacy/cookie-search.ts'
import { startRoutine } from './routine/retests.ts'
import { PrivacyOrders } from './privacy/privacy-checks.ts'
import { startScheduledWork } from './watching/scheduled-work.ts'
import { startWatching } from './watching/watcher.ts'
import { LoadGenerator } from './load-tests/load-generator.ts'
import { LoadOrders } from './load-tests/load-tests.ts'
import type { DatabaseSecret } from '../core/contracts/site-databases.ts'
import { startScheduledUpkeep } from './upkeep/scheduled-upkeep.ts'
import { endLeftRehearsals } from './server-rules/left-rehearsals.ts'
import { ownScratch } from './upkeep/scratch-database.ts'
import { pictureProcess } from './pictures/picture-worker.ts'
import { startServerPages } from './server-rules/page-files-due.ts'
import { startScheduledPictures } from './pictures/scheduled-pictures.ts'
import { Simulator } from './planner/simulator.ts'
import { followPlans } from './planner/plans.ts'
import { startWarmUps } from './warmup/warm-up-triggers.ts'
import type { Services } from './routes/services.ts'
import { ObjectsPublisher } from './objects/objects-publisher.ts'
import { Publisher } from './release/publisher.ts'

const dataDir = process.env['ZEST_DATA_DIR'] ?? './data'
const basePort = Number(process.env['ZEST_PORT'] ?? 8400)
const address = process.env['ZEST_ADDRESS'] ?? '127.0.0.1'
const objectsAddress = process.env['ZEST_OBJECTS_ADDRESS'] ?? '127.0.0.1'
const addresses = {
  controlPort: basePort,
  deliveryPort: basePort + 10,
  securePort: basePort + 11,
  objectsPort: Number(process.env['ZEST_OBJECTS_PORT'] ?? basePort + 20),
  objectsHost: process.env['ZEST_OBJECTS_HOST'] ?? objectsAddress,
  objectsSecure: needsTls(objectsAddress) || process.env['ZEST_OBJECTS_CERTIFICATE'] !== undefined,
}
/** On standard error: that is what whoever starts the processes shows. */
const log = pino({ level: process.env['ZEST_LOG_LEVEL'] ?? 'warn' }, pino.destination(2))

/** Names that control is asked by, besides localhost and addresses. */
const ownNames = (process.env['ZEST_CONTROL_NAMES'] ?? '').split(',').filter((name) => name.trim() !== '')
/** Name servers to ask, instead of those of this machine. */
const nameServers = (process.env['ZEST_NAME_SERVERS'] ?? '').split(',').filter((name) => name.trim() !== '')
/** Folders of this machine that may be the site folder of somebody's site, for instance mounted ones. */
const siteFolders = (process.env['ZEST_SITE_FOLDERS'] ?? '').split(':').filter((folder) => folder.startsWith('/'))
/** Open streams of events end this soon after their credentials do, ms. */
const RECHECK_MS = 5000

/** Exit code for a cause that starting again will not fix. */
const EXIT_CONFIG = 78

const giveUp = (sentence: string): never => {
  console.error(sentence)
  process.exit(EXIT_CONFIG)
}

/** Who vouches for a private certificate authority that speaks ACME. */
const trustedAuthority = async (): Promise<string | undefined> => {
  const path = process.env['ZEST_ACME_TRUST'] ?? ''
  if (path === '') return undefined
  return readFile(path, 'utf8').catch((error: Error) =>
    giveUp(`The file that ZEST_ACME_TRUST names cannot be read: ${error.message}`),
  )
}

/** One control for each data directory: the database has one opener. */
const lockDataDirectory = async (): Promise<void> => {
  await mkdir(dataDir, { recursive: true, mode: 0o700 })
  // Nothing below it is anybody else's to read, however it was made.
  await chmod(dataDir, 0o700)
  const path = controlLockPath(dataDir)
  await claimSocket(path, dataDir).catch((error: Error) => giveUp(error.message))
  await new Promise<void>((resolve) => createLock().listen(path, resolve).unref())
}

type Handler = (req: IncomingMessage, res: ServerResponse) => void

const notYet: Handler = (_req, res) => res.writeHead(503, { 'retry-after': '1' }).end()

/** The port is claimed before the database is opened, so that a port that is taken is said at once. */
const listen = async (handler: () => Handler): Promise<Awaited<ReturnType<typeof createControlServer>>> => {
  const listening = {
    address,
    certificateFile: process.env['ZEST_CONTROL_CERTIFICATE'],
    keyFile: process.env['ZEST_CONTROL_KEY'],
    folder: join(dataDir, 'control-tls'),
    names: ownNames,
  }
  const made = await createControlServer(listening, (req, res) => handler()(req, res), Date.now()).catch(
    (error: Error) => giveUp(error.message),
  )
  await new Promise<void>((resolve) => {
    made.server.once('error', (error: NodeJS.ErrnoException) =>
      giveUp(
        error.code === 'EADDRINUSE'
          ? `Port ${basePort} is taken by another program. Stop it, or start Zest Lamp with another ZEST_PORT.`
          : `Control cannot listen on port ${basePort}: ${error.message}`,
      ),
    )
    made.server.listen(basePort, address, resolve)
  })
  return made
}

/** "address token" of the simulated provider; nothing where it does not run. */
const demoCdn = (text: string): Services['demoCdn'] => {
  const [apiAddress, token] = text.split(' ')
  return apiAddress === undefined || token === undefined ? undefined : { apiAddress, token }
}

const main = async (): Promise<void> => {
  process.umask(0o077)
  await lockDataDirectory()
  let handler = notYet
  const { server, scheme, ownDigest } = await listen(() => handler)
  const { db, close } = await useKeyFile(join(dataDir, 'secret.key'))
    .then(() =>
      openDatabase({
        folder: join(dataDir, 'database'),
        migrations: join(import.meta.dirname, 'migrations'),
        template: join(import.meta.dirname, 'empty-database'),
      }),
    )
    .catch((error: Error) => {
      // Starting again would not fix these.
      if (error instanceof DamagedDatabase || error instanceof WrongSecretKey) return giveUp(error.message)
      throw error
    })
  const fleet = new EdgeFleet(randomUUID(), Date.now)
  await loadEdges(db, fleet)
  const now = (): Date => new Date()
  const purges = new CdnPurges(fleet, { db, now }, (error) => log.error(error))
  const delivery = new DeliveryClient(controlSocketPath(dataDir), undefined, purges)
  const events = new EventBus()
  const lab = new LabClient(join(import.meta.dirname, 'lab.mjs'), () => ownKeyDigest(dataDir))
  const orders = { privacyOrders: new PrivacyOrders(), cookieOrders: new CookieOrders(), loadOrders: new LoadOrders() }
  const files = {
    rulesFiles: new Map(),
    serversFolder: join(dataDir, 'web-servers'),
    fileAccess: { folders: siteFolders, secrets: new Map<string, FileSecret>() },
    databaseSecrets: new Map<string, DatabaseSecret>(),
    upkeepFolder: join(dataDir, 'upkeep'),
    picturesFolder: join(dataDir, 'pictures'),
    pictureMaker: pictureProcess(join(import.meta.dirname, 'picture-maker.mjs')),
    scratch: ownScratch(join(import.meta.dirname, 'scratch-database.mjs')),
  }
  const recordings = new Recordings(join(import.meta.dirname, 'recorder.mjs'))
  const publisher = new Publisher(db, delivery, (sentence) => log.error(sentence))
  const objects = new ObjectsClient(objectsSocketPath(dataDir))
  const objectsPublisher = new ObjectsPublisher(db, objects, (sentence) => log.error(sentence))
  const simulator = new Simulator(join(import.meta.dirname, 'simulator.mjs'))
  const loadGenerator = new LoadGenerator(join(import.meta.dirname, 'load.mjs'))
  const authority = { trusted: await trustedAuthority(), isVisible: recordFinder(nameServers) }
  const handlers = jobHandlers({
    ...{
      db,
      addresses,
      events,
      lab,
      simulator,
      loadGenerator,
      delivery,
      edges: fleet,
      objects,
      publisher,
      now,
      authority,
      dns: { nameServers },
      recordings,
    },
    ...orders,
    ...files,
  })
  const jobs = new JobQueue(db, events, handlers, (error) => log.error(error))
  const token = process.env['ZEST_API_TOKEN']
  const services: Services = {
    db,
    delivery,
    publisher,
    objects,
    objectsPublisher,
    events,
    jobs,
    ...orders,
    ...files,
    recordings,
    addresses,
    startTokenDigest: token === undefined || token === '' ? undefined : digestToken(token),
    demoCdn: demoCdn(process.env['ZEST_DEMO_CDN'] ?? ''),
    signInNotice: process.env['ZEST_SIGN_IN_NOTICE'] ?? '',
    now,
    dns: { nameServers },
    edges: fleet,
    authority,
    controlCertificate: ownDigest,
    controlNames: controlNames(ownNames),
    recheckMs: RECHECK_MS,
  }
  publisher.publishBehind()
  objectsPublisher.publishBehind()
  const app = createApp(services, join(import.meta.dirname, 'web'), (error) => log.error(error))
  const answer = app.callback()
  handler = (req, res) => inBackground(answer(req, res), (error) => log.error(error))
  // Before a rehearsal goes on that was cut off.
  await endLeftRehearsals(files.serversFolder).catch((error: unknown) => log.error(error))
  await jobs.start()
  const endWatching = startWatching(services, (error) => log.error(error))
  const endScheduledWork = startScheduledWork(services, (error) => log.error(error))
  const endUpkeep = startScheduledUpkeep(services, (error) => log.error(error))
  const endServerPages = startServerPages(services, (error) => log.error(error))
  const endPictures = startScheduledPictures(services, (error) => log.error(error))
  const endPlans = followPlans(services, (error) => log.error(error))
  const endWarmUps = startWarmUps(services, (error) => log.error(error))
  const endRenewals = startRenewals({ ...services, authority }, (error) => log.error(error))
  const endDnsWatch = startDnsWatch(services, (error) => log.error(error))
  const endHomePurges = followHomePurges(controlSocketPath(dataDir), purges, (error) => log.error(error))
  const endRoutine = startRoutine(services, (error) => log.error(error))
  const stop = async (): Promise<void> => {
    server.close()
    server.closeAllConnections()
    endRoutine()
    endHomePurges()
    endDnsWatch()
    fleet.close()
    endRenewals()
    await endPlans()
    await endWarmUps()
    endWatching()
    endScheduledWork()
    endUpkeep()
    endPictures()
    await endServerPages()
    publisher.close()
    objectsPublisher.close()
    lab.stop()
    recordings.stop()
    await jobs.close()
    await close()
    process.exit(0)
  }
  for (const signal of ['SIGTERM', 'SIGINT'] as const)
    process.on(signal, () =>
      inBackground(stop(), (error) => {
        log.error(error)
        process.exit(1)
      }),
    )
  console.log(`control ready on ${scheme}://${address}:${basePort}`)
}

await main()
