import { createServer, type Server, type Socket } from 'node:net'
import { createServer as createSecureServer, type TlsOptions } from 'node:tls'
import type { ObjectSites } from '../sites/object-sites.ts'
import type { SiteObjects } from '../sites/site-objects.ts'
import { ClientConnection } from './client-connection.ts'

/** More than content systems ever hold open; a client more is told so. */
const MOST_CLIENTS = 10_000
/** Wrong passwords from one address that are answered at once, and what each further one adds, ms. */
const FREE_TRIES = 5
const EACH_TRY_MS = 50
const LONGEST_MS = 2000
const MOST_ADDRESSES = 10_000

/** Who gave wrong passwords, by address. */
class WrongPasswords {
  readonly #tries = new Map<string, number>()

  /** @returns how long the answer waits, ms */
  note(address: string): number {
    const tries = (this.#tries.get(address) ?? 0) + 1
    this.#tries.delete(address)
    this.#tries.set(address, tries)
    if (this.#tries.size > MOST_ADDRESSES) this.#tries.delete(this.#tries.keys().next().value ?? '')
    return Math.min(LONGEST_MS, Math.max(0, tries - FREE_TRIES) * EACH_TRY_MS)
  }
}

/** Takes clients in, and lets them go. */
export class ObjectsListener {
  readonly server: Server
  readonly #connections = new Set<ClientConnection>()

  /** @param secure certificate and key where clients come over TLS */
  constructor(
    sites: ObjectSites,
    io: { readonly now: () => number; readonly report: (error: unknown) => void },
    secure?: TlsOptions,
  ) {
    const wrong = new WrongPasswords()
    const take = (socket: Socket): void => {
      if (this.#connections.size >= MOST_CLIENTS) {
        socket.on('error', () => socket.destroy())
        socket.end('-ERR too many clients are connected.\r\n')
        return
      }
      const connection = new ClientConnection(socket, {
        ...io,
        authenticate: (name, password) => sites.authenticate(name, password),
        slowedMs: (address) => wrong.note(address),
      })
      this.#connections.add(connection)
      socket.on('close', () => this.#connections.delete(connection))
    }
    this.server = secure === undefined ? createServer(take) : createSecureServer(secure, take)
  }

  /** Clients of these sites have to say again who they are. */
  endClientsOf(sites: readonly SiteObjects[]): void {
    for (const connection of this.#connections)
      if (connection.site !== undefined && sites.includes(connection.site)) connection.end()
  }

  close(): void {
    this.server.close()
    for (const connection of this.#connections) connection.end()
  }
}
