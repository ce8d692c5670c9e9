import type { Server, ServerResponse } from 'node:http'
import type { Http2SecureServer, ServerHttp2Session } from 'node:http2'
import { Server as NetServer, type Socket } from 'node:net'

/** Connections that are idle get this long to bring one more request, ms: closing one at once could meet a request on its way. */
const IDLE_GRACE_MS = 1500
/** Longest time for answers under way, ms; streams have no end of their own. */
const LONGEST_MS = 10_000

/** Lets a listener end without cutting anybody off. */
export class Draining {
  readonly #server: Server | Http2SecureServer
  readonly #stopListening: () => void
  readonly #sockets = new Set<Socket>()
  readonly #sessions = new Set<ServerHttp2Session>()
  #begun = false

  /** @param stopListening left out: the server does, without cutting idle connections off, as its own close would */
  constructor(server: Server | Http2SecureServer, stopListening = () => void NetServer.prototype.close.call(server)) {
    this.#server = server
    this.#stopListening = stopListening
    server.on('connection', (socket: Socket) => {
      // Announced again when its request is read another time (delivery/listener/listener.ts); a visitor must not pile up listeners with it.
      if (this.#sockets.has(socket)) return
      this.#sockets.add(socket)
      socket.once('close', () => this.#sockets.delete(socket))
    })
    server.on('session', (session: ServerHttp2Session) => {
      this.#sessions.add(session)
      session.once('close', () => this.#sessions.delete(session))
      if (this.#begun) session.close()
    })
    server.prependListener('request', (_req: unknown, res: ServerResponse) => {
      // The connection ends with this answer, and the next one goes to the next process.
      if (this.#begun) res.shouldKeepAlive = false
    })
  }

  /** Take no more connections, let answers under way end, then close what is left. */
  async end(): Promise<void> {
    this.#begun = true
    this.#stopListening()
    for (const session of this.#sessions) session.close()
    const closed = new Promise<void>((resolve) => {
      const look = (): void => {
        if (this.#sockets.size === 0) resolve()
      }
      for (const socket of this.#sockets) socket.once('close', () => setImmediate(look))
      look()
    })
    const idle = setTimeout(() => {
      // On a busy machine requests may have come that are not read yet: timers run first, then what has come is read, then this.
      setImmediate(() => {
        if ('closeIdleConnections' in this.#server) this.#server.closeIdleConnections()
      })
    }, IDLE_GRACE_MS)
    const late = setTimeout(() => {
      for (const socket of this.#sockets) socket.destroy()
    }, LONGEST_MS)
    await closed
    clearTimeout(idle)
    clearTimeout(late)
  }
}
