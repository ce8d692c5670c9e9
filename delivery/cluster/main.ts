import { randomBytes } from 'node:crypto'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { createLog } from '../../process/log.ts'
import { clusterMessagesPath, clusterRequestsPath } from '../../process/socket-path.ts'
import { certificatesFolder } from '../control/own-key.ts'
import { Certificates } from '../listener/certificates.ts'
import { createListener, createSecureListener } from '../listener/listener.ts'
import { listenPublicly, publicAddresses } from '../process/addresses.ts'
import { Draining } from '../process/draining.ts'
import { initialIo, transformers } from '../process/initial-io.ts'
import { stopOnSignals, surviveFaults } from '../process/lifetime.ts'
import { edgeKeysOf } from '../request/edge-access.ts'
import { RouteCompiler } from '../request/routes.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import { FirstProcess } from './first-process.ts'
import { toldToFirst } from './told-to-first.ts'

const dataDir = process.env['ZEST_DATA_DIR'] ?? './data'
const instance = `zest-lamp-${randomBytes(6).toString('hex')}`
const log = createLog('delivery', instance, process.env['ZEST_LOG_LEVEL'])

/** A further delivery process beside the first one of this machine, on the same ports. */
const main = async (): Promise<void> => {
  process.umask(0o077)
  const addresses = publicAddresses(process.env)
  const compiler = new RouteCompiler()
  let routes = compiler.compile({ revision: 0, sites: [] })
  let edges = edgeKeysOf({ revision: 0, sites: [] })
  const certificates = new Certificates(certificatesFolder(dataDir), () => Date.now())
  const first = new FirstProcess({
    messagesPath: clusterMessagesPath(dataDir),
    requestsPath: clusterRequestsPath(dataDir),
    configure: (config: DeliveryConfig) => {
      const compiled = compiler.compile(config)
      certificates.use(config)
      routes = compiled
      edges = edgeKeysOf(config)
    },
    report: (error) => void log.report(error, { asking: 'the first process' }),
    end: (error) => {
      log.say(`${error.message} This one ends, and is started again.`)
      process.exit(1)
    },
  })
  const pool = transformers()
  const io: DeliveryIo = {
    ...initialIo(first.copies, { pool, publicPorts: addresses.publicPorts, instance, log, routes: () => routes }),
    first,
    edges: () => edges,
    ...toldToFirst(first),
  }
  const [listener, secureListener] = [createListener(io), createSecureListener(io, certificates)]
  const drains = [new Draining(listener), new Draining(secureListener)]
  await first.ready
  await listenPublicly(listener, addresses.host, addresses.port)
  await listenPublicly(secureListener, addresses.host, addresses.securePort)
  surviveFaults(log)
  process.send?.({ kind: 'listening' })
  stopOnSignals(log, async () => {
    await Promise.all(drains.map((one) => one.end()))
    first.end()
    await pool.close()
    process.exit(0)
  })
}

await main()
