import { RecorderOrder, type RecorderReply } from '../core/contracts/recording.ts'
import { launchBrowser } from './browser/launch.ts'
import { JourneyRecorder } from './browser/recorder.ts'

/** The recorder's process: opens one page, does what it is told on it, and answers with what it looks like. */
const browser = launchBrowser()
let recorder: JourneyRecorder | undefined

const end = (): void => void browser.then((one) => one.close()).finally(() => process.exit(0))
process.on('disconnect', end)
process.on('SIGTERM', end)

const carryOut = async (order: RecorderOrder): Promise<RecorderReply> => {
  if (order.kind === 'open') {
    recorder = await JourneyRecorder.open(await browser, order.origin, order.path)
    return { kind: 'state', state: await recorder.state() }
  }
  if (recorder === undefined) return { kind: 'failed', why: 'Nothing is open.' }
  return { kind: 'state', state: await recorder.act(order.act) }
}

process.on('message', (message) => {
  void carryOut(RecorderOrder.parse(message))
    .catch((error: Error): RecorderReply => ({ kind: 'failed', why: error.message.split('\n')[0]! }))
    .then((reply) => process.send?.(reply))
})
