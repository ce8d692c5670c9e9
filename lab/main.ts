import pino from 'pino'
import { z } from 'zod'
import type { LabMessage } from '../core/contracts/lab.ts'
import { RunOrder } from '../core/contracts/measuring.ts'
import { SnapshotOrder } from '../core/contracts/safety.ts'
import { inBackground } from '../core/in-background.ts'
import { launchBrowser } from './cdp/launch.ts'
import { probe } from './timing/probe.ts'
import { LinkRelay } from './link/link-relay.ts'
import { look } from './safety/page-snapshot.ts'

/** The lab's process: takes one order at a time from control over the process channel and answers with its outcome. */
const send = (message: LabMessage): void => {
  process.send?.(message)
}

const log = pino({ level: process.env['ZEST_LOG_LEVEL'] ?? 'warn', base: { room: 'lab' } }, pino.destination(2))

/** Control's own port: what a page says must not be said to it. */
const CLOSED_PORTS = [Number(process.env['ZEST_PORT'] ?? 8400)]

/** Keys of the certificates that delivery has made, whose answers the browser may store as those of any other certificate. */
const TRUSTED = (process.env['ZEST_LAB_TRUSTS'] ?? '').split(',').filter((digest) => digest !== '')

/** A page load to be measured, or a page to be looked at closely. */
const LabOrder = z.union([SnapshotOrder, RunOrder])

const linkFor = async (order: z.infer<typeof LabOrder>): Promise<{ relay: LinkRelay; port: number }> => {
  const { visitor, connectTo, privateAddresses } = order
  const roundTripsByHost = 'kind' in order ? {} : order.roundTripsByHost
  const { roundTripMs, downKbps, upKbps, lossPercent } = visitor
  const relay = new LinkRelay({
    roundTripMs,
    roundTripsByHost,
    downKbps,
    upKbps,
    lossShare: lossPercent / 100,
    connectTo,
    privateAddresses,
    closedPorts: CLOSED_PORTS,
  })
  return { relay, port: await relay.listen() }
}

const main = async (): Promise<void> => {
  const browser = await launchBrowser(TRUSTED)
  const end = (): void =>
    inBackground(
      browser.close().finally(() => process.exit(0)),
      (error) => log.error(error),
    )
  process.on('disconnect', end)
  process.on('SIGTERM', end)
  process.on('message', (message) => {
    // Control sees the process end, and counts this one run as failed.
    inBackground(
      Promise.resolve(message).then((text) => run(LabOrder.parse(text))),
      (error) => {
        log.error(error)
        process.exit(1)
      },
    )
  })
  const run = async (order: z.infer<typeof LabOrder>): Promise<void> => {
    // A link of its own for each run: no connection, name or queue of the last one is left.
    const { relay, port } = await linkFor(order)
    const failed = (error: Error) => ({ kind: 'failed' as const, why: error.message })
    if ('kind' in order) {
      const outcome = await look(browser, order, port).catch(failed)
      await relay.close()
      return send({ kind: 'looked', id: order.id, outcome })
    }
    const outcome = await probe(browser, order, port).catch(failed)
    await relay.close()
    send({ kind: 'outcome', id: order.id, outcome })
  }
  send({ kind: 'ready' })
}

await main().catch((error: Error) => {
  send({ kind: 'unusable', why: error.message })
  process.exitCode = 1
})
