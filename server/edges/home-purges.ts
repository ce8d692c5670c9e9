import { request } from 'node:http'
import { createInterface } from 'node:readline'
import { PurgeOrder, type EdgeConfirmation } from '../../core/contracts/delivery.ts'
import { inBackground } from '../../core/in-background.ts'

/** Purges that begin so close together go to the edges as one. */
const GATHERED_MS = 20
const BETWEEN_TRIES_MS = 500
/** Delivery says every two seconds that it is still there. */
const LONGEST_SILENCE_MS = 6000

/** Who has to know what home has purged. */
interface HomePurges {
  purgedAtHome(orders: readonly PurgeOrder[]): Promise<EdgeConfirmation[]>
  doubtAll(): void
}

/**
 * Pass on to edges what home purges by itself: because of what visitors send, or because a page has been made again.
 * @returns ends it
 */
export const followHomePurges = (
  socketPath: string,
  fleet: HomePurges,
  log: (error: unknown) => void,
): (() => void) => {
  let ended = false
  let retry: NodeJS.Timeout | undefined
  let listening: ReturnType<typeof request> | undefined
  let heardBefore = false

  /** Whatever visitors send at the same time is one order to the edges. */
  let gathered = new Map<string, PurgeOrder>()
  const passOn = (): void => {
    const orders = [...gathered.values()]
    gathered = new Map()
    inBackground(fleet.purgedAtHome(orders), log)
  }
  const pass = (line: string): void => {
    if (line === '') return
    try {
      const order = PurgeOrder.parse(JSON.parse(line))
      if (gathered.size === 0) setTimeout(passOn, GATHERED_MS)
      gathered.set(line, order)
    } catch (error) {
      log(error)
    }
  }
  const follow = (): void => {
    listening = request({ socketPath, path: '/announcements', timeout: LONGEST_SILENCE_MS }, (incoming) => {
      // Between two connections something may have been missed.
      if (heardBefore) fleet.doubtAll()
      heardBefore = true
      // A connection that breaks off is opened again; what its reader makes of that is of no interest.
      const lines = createInterface({ input: incoming }).on('error', () => undefined)
      lines.on('line', pass)
      incoming.on('error', () => undefined)
      incoming.once('close', again)
    })
    listening.on('timeout', () => listening?.destroy())
    listening.on('error', again)
    listening.end()
  }
  const again = (): void => {
    clearTimeout(retry)
    if (!ended) retry = setTimeout(follow, BETWEEN_TRIES_MS)
  }
  follow()
  return () => {
    ended = true
    clearTimeout(retry)
    listening?.destroy()
  }
}
