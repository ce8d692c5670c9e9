import type { ServerResponse } from 'node:http'
import type { PurgeOrder } from '../../core/contracts/delivery.ts'

/** Proxies and sockets in between take a silent connection for dead; control too, ms. */
const STILL_HERE_MS = 2000
const MOST_UNREAD = 8 * 1024 * 1024

/** Tells control of purges that began here, because of what visitors sent or what came of rewriting: edges have to carry them out too. */
export class Announcements {
  readonly #listeners = new Set<ServerResponse>()

  announce(order: PurgeOrder): void {
    for (const res of this.#listeners)
      // Control that does not read is not waited for: when it listens again, edges are told that they may have missed something.
      if (res.writableLength > MOST_UNREAD) res.destroy()
      else res.write(`${JSON.stringify(order)}\n`)
  }

  /** One order a line, for as long as somebody listens; empty lines say that nothing has happened. */
  stream(res: ServerResponse): void {
    res.writeHead(200, { 'content-type': 'application/x-ndjson' })
    res.write('\n')
    this.#listeners.add(res)
    const timer = setInterval(() => res.write('\n'), STILL_HERE_MS)
    res.once('close', () => {
      clearInterval(timer)
      this.#listeners.delete(res)
    })
  }
}
