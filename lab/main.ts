import { RunOrder, type LabMessage } from '../core/contracts/measuring.ts'
import { launchBrowser } from './browser/launch.ts'
import { probe } from './browser/probe.ts'
import { LinkRelay } from './link/link-relay.ts'

/** The lab's process: takes one order at a time from control over the process channel and answers with its outcome. */
const send = (message: LabMessage): void => {
  process.send?.(message)
}

const linkFor = async ({
  visitor,
  roundTripsByHost,
  connectTo,
}: RunOrder): Promise<{ relay: LinkRelay; port: number }> => {
  const { roundTripMs, downKbps, upKbps, lossPercent } = visitor
  const relay = new LinkRelay({
    roundTripMs,
    roundTripsByHost,
    downKbps,
    upKbps,
    lossShare: lossPercent / 100,
    connectTo,
  })
  return { relay, port: await relay.listen() }
}

const main = async (): Promise<void> => {
  const browser = await launchBrowser()
  process.on('disconnect', () => void browser.close().finally(() => process.exit(0)))
  process.on('SIGTERM', () => void browser.close().finally(() => process.exit(0)))
  process.on('message', (message) => {
    const order = RunOrder.parse(message)
    void run(order)
  })
  const run = async (order: RunOrder): Promise<void> => {
    // A link of its own for each run: no connection, name or queue of the last one is left.
    const { relay, port } = await linkFor(order)
    const outcome = await probe(browser, order, port).catch((error: Error) => ({
      kind: 'failed' as const,
      why: error.message,
    }))
    await relay.close()
    send({ kind: 'outcome', id: order.id, outcome })
  }
  send({ kind: 'ready' })
}

await main().catch((error: Error) => {
  send({ kind: 'unusable', why: error.message })
  process.exitCode = 1
})
