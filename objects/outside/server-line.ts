import type { RespVersion } from '../resp/reply-writer.ts'
import type { ServerAddress } from './server-address.ts'
import { ServerConnection } from './server-connection.ts'

const FIRST_PAUSE_MS = 50
const LONGEST_PAUSE_MS = 2000

/** A connection that is made again whenever it is lost. */
export class ServerLine {
  readonly #address: ServerAddress
  readonly #version: RespVersion
  readonly #onAway: (why: string, was: 'ready' | 'connecting') => void
  #connection: ServerConnection
  #pauseMs = FIRST_PAUSE_MS
  #again: NodeJS.Timeout | undefined
  #closed = false

  /** @param onAway told why, each time, and whether it was in use */
  constructor(
    address: ServerAddress,
    version: RespVersion,
    onAway: (why: string, was: 'ready' | 'connecting') => void,
  ) {
    this.#address = address
    this.#version = version
    this.#onAway = onAway
    this.#connection = this.#connect()
  }

  /** @returns undefined while it is away */
  get connection(): ServerConnection | undefined {
    return this.#connection.isReady ? this.#connection : undefined
  }

  #connect(): ServerConnection {
    let was: 'ready' | 'connecting' = 'connecting'
    return new ServerConnection(this.#address, this.#version, {
      onReady: () => {
        was = 'ready'
        this.#pauseMs = FIRST_PAUSE_MS
      },
      onGone: (why) => {
        if (this.#closed) return
        this.#onAway(why, was)
        this.#again = setTimeout(() => (this.#connection = this.#connect()), this.#pauseMs)
        this.#pauseMs = Math.min(LONGEST_PAUSE_MS, 2 * this.#pauseMs)
      },
    })
  }

  close(): void {
    this.#closed = true
    clearTimeout(this.#again)
    this.#connection.end()
  }
}
