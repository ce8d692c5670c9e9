import { createHash, randomBytes } from 'node:crypto'
import { chmod, readdir, rm } from 'node:fs/promises'
import type { Server } from 'node:net'
import { basename, join } from 'node:path'
import { ObjectsConfig } from '../core/contracts/objects.ts'
import { inBackground } from '../core/in-background.ts'
import { claimSocket } from '../process/claim-socket.ts'
import { loadKept, saveKept } from '../process/kept-file.ts'
import { createLog } from '../process/log.ts'
import { ownFolder } from '../process/own-folder.ts'
import { objectsSocketPath } from '../process/socket-path.ts'
import { z } from 'zod'
import { actionsOf } from './control/actions.ts'
import { createObjectsChannel } from './control/channel.ts'
import { tlsFor } from './listener/listening.ts'
import { OutsideServer } from './outside/outside-server.ts'
import { OutsideSite } from './outside/outside-site.ts'
import { ObjectsListener } from './listener/objects-listener.ts'
import { ObjectSites } from './sites/object-sites.ts'
import type { SiteObjects } from './sites/site-objects.ts'
import { saveSnapshot } from './sites/snapshot.ts'

const dataDir = process.env['ZEST_DATA_DIR'] ?? './data'
const port = Number(process.env['ZEST_OBJECTS_PORT'] ?? Number(process.env['ZEST_PORT'] ?? 8400) + 20)

/** Where clients come from: this machine only, unless the owner says otherwise; then over TLS. */
const address = process.env['ZEST_OBJECTS_ADDRESS'] ?? '127.0.0.1'

/** The server that keeps the values; nothing: this process does. */
const outsideUrl = process.env['ZEST_OBJECTS_URL'] ?? ''

const log = createLog('objects', `zest-objects-${randomBytes(6).toString('hex')}`, process.env['ZEST_LOG_LEVEL'])

/** Exit code for a cause that starting again will not fix. */
const EXIT_CONFIG = 78
/** Entries that have run out leave in small steps. */
const SWEEP_MS = 100

const giveUp = (sentence: string): never => {
  console.error(sentence)
  process.exit(EXIT_CONFIG)
}

const listen = (server: Server, where: { port: number; host: string } | { path: string }): Promise<void> =>
  new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(where, resolve)
  })

/** Of which sites everything that the other server has may be older than what clients believe. */
const BehindFile = z.array(z.string())

/** @returns undefined: values are kept in this process */
const openOutside = async (folder: string): Promise<OutsideServer | undefined> => {
  if (outsideUrl === '') return undefined
  const path = join(folder, 'behind.json')
  let saving = Promise.resolve()
  return OutsideServer.open(outsideUrl, {
    now: Date.now,
    report: (error) => void log.report(error, { with: 'the server that keeps the values' }),
    behind: (await loadKept(path, BehindFile)) ?? [],
    keepBehind: (siteIds) => {
      saving = saving.then(() => saveKept(path, siteIds))
      inBackground(saving, (error) => log.report(error, { writing: path }))
    },
  }).catch((error: Error) => giveUp(error.message))
}

const main = async (): Promise<void> => {
  process.umask(0o077)
  const folder = join(dataDir, 'objects')
  await ownFolder(dataDir)
  await ownFolder(folder)
  const socketPath = objectsSocketPath(dataDir)
  await claimSocket(socketPath, dataDir).catch((error: Error) => giveUp(error.message))
  const configPath = join(folder, 'sites.json')
  const outside = await openOutside(folder)
  const sites = new ObjectSites(
    Date.now,
    outside === undefined ? undefined : (site) => new OutsideSite(site, outside, Date.now),
  )
  // The last good configuration, so that it serves without control.
  sites.configure((await loadKept(configPath, ObjectsConfig)) ?? { revision: 0, sites: [] })
  const snapshotOf = ({ siteId }: SiteObjects): string =>
    join(folder, `${createHash('sha256').update(siteId).digest('hex')}.objects`)
  const names = new Set([...sites].map((site) => basename(snapshotOf(site))))
  for (const name of await readdir(folder))
    if (name.endsWith('.objects') && !names.has(name)) await rm(join(folder, name), { force: true })
  for (const site of outside === undefined ? sites : []) {
    const problem = await site.restore(snapshotOf(site))
    if (problem !== undefined) log.say(problem)
  }
  const secure = await tlsFor(
    {
      address,
      certificateFile: process.env['ZEST_OBJECTS_CERTIFICATE'],
      keyFile: process.env['ZEST_OBJECTS_KEY'],
      folder,
    },
    Date.now(),
  ).catch((error: Error) => giveUp(error.message))
  const report = (error: unknown): void => void log.report(error, { carryingOut: 'a command' })
  const listener = new ObjectsListener(sites, { now: Date.now, report }, secure)
  await listen(listener.server, { port, host: address }).catch((error: NodeJS.ErrnoException) =>
    giveUp(
      error.code === 'EADDRINUSE'
        ? `Port ${port} is taken by another program. Stop it, or start Zest Lamp with another ZEST_OBJECTS_PORT (the object cache uses ZEST_PORT + 20 otherwise).`
        : `The object cache cannot listen on port ${port}: ${error.message}`,
    ),
  )
  const save = (config: ObjectsConfig): Promise<void> => saveKept(configPath, config)
  const control = createObjectsChannel(actionsOf(sites, listener, { now: Date.now, save }))
  await listen(control, { path: socketPath })
  await chmod(socketPath, 0o600)
  const sweeping = setInterval(() => sites.sweep(), SWEEP_MS)
  // One client's command must not end everybody's cache.
  process.on('uncaughtException', (error) => log.report(error, { outside: 'any command' }))
  process.on('unhandledRejection', (error) => log.report(error, { outside: 'any command' }))
  let stopping = false
  const stop = async (): Promise<void> => {
    if (stopping) return
    stopping = true
    clearInterval(sweeping)
    listener.close()
    outside?.close()
    // A restart does not start cold.
    for (const site of outside === undefined ? sites : [])
      await saveSnapshot(snapshotOf(site), site.keys).catch((error: Error) =>
        log.say(`The object cache could not be saved: ${error.message}. It starts empty next time.`),
      )
    control.close()
    control.closeAllConnections()
    process.exit(0)
  }
  for (const signal of ['SIGTERM', 'SIGINT'] as const)
    process.on(signal, () => inBackground(stop(), (error) => log.report(error, { stopping: signal })))
  console.log(`object cache ready on port ${port}, ${[...sites].length} site(s)`)
}

await main()
