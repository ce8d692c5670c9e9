import { RecorderOrder, type RecorderReply } from '../core/contracts/recording.ts'
import { inBackground } from '../core/in-background.ts'
import { launchBrowser } from './cdp/launch.ts'
import { LinkRelay } from './link/link-relay.ts'
import { JourneyRecorder } from './journey/journey-recorder.ts'
import { upTo } from '../core/http/up-to.ts'

/** Nothing is measured here; what counts is where pages may reach. */
const QUICKEST = { roundTripMs: 0, downKbps: 1_000_000, upKbps: 1_000_000 }

/** The recorder's process: opens one page, does what it is told on it, and answers with what it looks like. */
const browser = launchBrowser()
let recorder: JourneyRecorder | undefined

const end = (): void =>
  inBackground(
    browser.then((one) => one.close()).finally(() => process.exit(0)),
    () => process.exit(1),
  )
process.on('disconnect', end)
process.on('SIGTERM', end)

const carryOut = async (order: RecorderOrder): Promise<RecorderReply> => {
  if (order.kind === 'open') {
    const relay = new LinkRelay({
      ...QUICKEST,
      privateAddresses: order.privateAddresses,
      connectTo: order.connectTo,
      closedPorts: [Number(process.env['ZEST_PORT'] ?? 8400)],
    })
    recorder = await JourneyRecorder.open(await browser, order, await relay.listen())
    return { kind: 'state', state: await recorder.state() }
  }
  if (recorder === undefined) return { kind: 'failed', why: 'Nothing is open.' }
  return { kind: 'state', state: await recorder.act(order.act) }
}

process.on('message', (message) => {
  const answered = Promise.resolve(message)
    .then((text) => carryOut(RecorderOrder.parse(text)))
    .catch((error: Error): RecorderReply => ({ kind: 'failed', why: upTo(error.message, '\n') }))
    .then((reply) => process.send?.(reply))
  inBackground(answered, () => process.exit(1))
})
