import { Refusal } from '../commands/call.ts'
import { KEY_PLACES } from '../commands/key-places.ts'
import { ValueTooLarge } from '../keyspace/bounds.ts'
import { partsOf, TOO_LARGE, type Frame } from '../resp/reply-reader.ts'
import type { RespVersion } from '../resp/reply-writer.ts'
import type { Asked, ClientOfOutside, Replied } from '../sites/outside-values.ts'
import { encodeCommand } from './encode-command.ts'
import type { OutsideServer } from './outside-server.ts'
import { copyOf } from './run-on-keys.ts'
import type { ServerConnection } from './server-connection.ts'

/** The site that a client has signed in to. */
export interface SiteOfClient {
  readonly server: OutsideServer
  readonly run: (asked: Asked, version: RespVersion, own: ServerConnection | undefined, replied: Replied) => number
  readonly check: (asked: Asked) => void
  readonly missesRead: (asked: Asked) => boolean
  readonly onNothing: (asked: Asked, version: RespVersion) => Buffer
  readonly away: (asked: Asked, version: RespVersion) => Buffer
  readonly answered: (asked: Asked, version: RespVersion, frame: Frame | undefined) => Buffer
  readonly encode: (asked: Asked) => Buffer
  readonly namesOf: (keys: readonly Buffer[], db: number) => Buffer[]
}

const OK = Buffer.from('+OK\r\n')
const MULTI = encodeCommand(['MULTI'])
const EXEC = encodeCommand(['EXEC'])

const errorOf = (sentence: string): Buffer => Buffer.from(`-${sentence}\r\n`)
const nilArray = (version: RespVersion): Buffer => Buffer.from(version === 3 ? '_\r\n' : '*-1\r\n')
const listOf = (replies: readonly Buffer[]): Buffer =>
  Buffer.concat([Buffer.from(`*${replies.length}\r\n`), ...replies])

const IN_STEPS = errorOf(
  'ERR within MULTI this is not offered, since values are kept in another server. Send it by itself.',
)

/** One client of values in another server. Who watches keys has a connection of its own until the transaction has ended. */
export class OutsideClient implements ClientOfOutside {
  readonly #site: SiteOfClient
  #own: ServerConnection | undefined
  /** What it watched is no longer known. */
  #lost = false

  constructor(site: SiteOfClient) {
    this.#site = site
  }

  run(asked: Asked, version: RespVersion, replied: Replied): number {
    return this.#site.run(asked, version, this.#own, replied)
  }

  watch(keys: readonly Buffer[], db: number, version: RespVersion, replied: Replied): void {
    const names = this.#site.namesOf(keys, db)
    // Where nobody reads from it, nothing can have changed.
    this.#withOwn(version, (own) => {
      if (own === undefined) return replied(OK)
      own.send(encodeCommand(['WATCH', ...names]), (frame) => {
        if (frame === undefined) this.#lost = true
        replied(OK)
      })
    })
  }

  #withOwn(version: RespVersion, then: (own: ServerConnection | undefined) => void): void {
    if (this.#own !== undefined) return then(this.#own)
    let isOpen = false
    const own = this.#site.server.ownConnection(version, {
      onReady: () => {
        isOpen = true
        this.#own = own
        then(own)
      },
      onGone: () => {
        if (!isOpen) return then(undefined)
        // It was given back where it is not the one in use.
        if (this.#own === own) this.#lost = true
      },
    })
    if (own === undefined) then(undefined)
  }

  unwatch(): void {
    const own = this.#own
    this.#own = undefined
    this.#lost = false
    own?.end()
  }

  exec(steps: readonly (Asked | Buffer)[], version: RespVersion, replied: Replied): void {
    const own = this.#own
    const lost = this.#lost
    const end = (reply: Buffer): void => {
      this.unwatch()
      replied(reply)
    }
    if (lost) return end(nilArray(version))
    const plan = steps.map((step) => (Buffer.isBuffer(step) ? step : this.#plan(step, version)))
    const connection = own ?? this.#site.server.connection(version)
    const away = (): void =>
      end(listOf(plan.map((step) => (Buffer.isBuffer(step) ? step : this.#site.away(step, version)))))
    if (connection === undefined) return away()
    const sent = plan.filter((step): step is Asked => !Buffer.isBuffer(step))
    connection.send(MULTI, () => undefined)
    for (const step of sent) connection.send(this.#site.encode(step), () => undefined)
    connection.send(EXEC, (frame) => {
      // Whether it was done is not known, or it was not.
      if (frame === undefined || frame === TOO_LARGE || frame[0] === 45) return away()
      if (frame[0] !== 42 || frame.toString('latin1', 0, 3) === '*-1') return end(frame)
      const parts = partsOf(frame)
      let next = 0
      end(
        listOf(plan.map((step) => (Buffer.isBuffer(step) ? step : this.#site.answered(step, version, parts[next++])))),
      )
    })
  }

  /** @returns the command as it is sent, or its reply where it is not */
  #plan(step: Asked, version: RespVersion): Asked | Buffer {
    if (!KEY_PLACES.has(step.name)) return IN_STEPS
    if (this.#site.missesRead(step)) return this.#site.onNothing(step, version)
    try {
      this.#site.check(step)
    } catch (error) {
      if (error instanceof ValueTooLarge) return errorOf(`ERR ${error.message}`)
      if (error instanceof Refusal) return errorOf(error.message)
      throw error
    }
    return copyOf(step)
  }
}
