import { Agent as HttpAgent, type ClientRequest } from 'node:http'
import { Agent as HttpsAgent } from 'node:https'
import type { Duplex } from 'node:stream'

/** Idle connections kept for each origin. */
const MOST_IDLE = 16

/**
 * Connections kept open between requests. An origin that sends something nobody has asked for would have it taken for the answer to the next
 * request, which may be another visitor's: such a connection is closed, never used again.
 */
const watched = <A extends new (...args: never[]) => HttpAgent>(Base: A) =>
  class extends (Base as unknown as typeof HttpAgent) {
    readonly #onUnasked = new WeakMap<Duplex, () => void>()

    override keepSocketAlive(socket: Duplex): boolean {
      // Node's own declares nothing, and answers whether the socket may be kept.
      const kept = super.keepSocketAlive(socket) as boolean | void
      if (kept !== true || socket.readableLength > 0) return false
      const onUnasked = (): void => void socket.destroy()
      this.#onUnasked.set(socket, onUnasked)
      socket.on('data', onUnasked)
      return true
    }

    override reuseSocket(socket: Duplex, request: ClientRequest): void {
      const onUnasked = this.#onUnasked.get(socket)
      if (onUnasked !== undefined) socket.off('data', onUnasked)
      super.reuseSocket(socket, request)
    }
  }

const WatchedHttpAgent = watched(HttpAgent)
const WatchedHttpsAgent = watched(HttpsAgent)

/** How many requests go to an origin at a time is for its lanes to say; the pool only keeps what is idle. */
const OPTIONS = { keepAlive: true, maxSockets: Number.POSITIVE_INFINITY, maxFreeSockets: MOST_IDLE }

export const createPool = (): { readonly http: HttpAgent; readonly https: HttpsAgent } => ({
  http: new WatchedHttpAgent(OPTIONS),
  https: new WatchedHttpsAgent(OPTIONS) as unknown as HttpsAgent,
})
