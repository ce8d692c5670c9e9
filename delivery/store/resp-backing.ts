import { inBackground } from '../../core/in-background.ts'
import { randomUUID } from 'node:crypto'
import type { Redis } from 'ioredis'
import { z } from 'zod'
import { PurgeOrder } from '../../core/contracts/delivery.ts'
import { CODINGS, type Coding } from '../../core/http/negotiation.ts'
import type { Backing, SharedChange } from './backing.ts'
import { digestOf, headerText, parseHeader } from './entry-file.ts'
import type { Bodies, StoredEntry } from './response-store.ts'

/** Names in the server: descriptions of all entries, the bytes of one, and the channel on which changes are told. */
const HEADS = 'zest-lamp:heads'
const CHANGES = 'zest-lamp:changes'
const bodyKey = (id: string): string => `zest-lamp:body:${id}`

/** What processes tell each other. */
const Message = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('put'), from: z.string(), head: z.string() }),
  z.object({ kind: z.literal('gone'), from: z.string(), id: z.string() }),
  z.object({ kind: z.literal('purged'), from: z.string(), order: PurgeOrder }),
])
type Message = z.infer<typeof Message>

const parseMessage = (text: string): Message | undefined => {
  try {
    return Message.parse(JSON.parse(text))
  } catch {
    return undefined
  }
}

/**
 * A connection that is not made yet. The client is loaded when it is needed: most owners have no such server, and a process that starts answers nobody.
 * @param url redis://[user:password@]host[:port][/database], or rediss:// over TLS
 */
export const connectionTo = async (url: string): Promise<Redis> => {
  const { Redis } = await import('ioredis')
  // Removals wait until the server is back, however long: a purge must not be forgotten.
  return new Redis(url, { maxRetriesPerRequest: null, lazyConnect: true })
}

/**
 * Entries in a server that speaks RESP, shared by several delivery processes. Each knows of all entries; changes are told on a channel as they happen,
 * and after a lost connection everything is read again.
 */
export class RespBacking implements Backing {
  readonly #commands: Redis
  readonly #listening: Redis
  readonly #self = randomUUID()
  readonly #onProblem: (error: Error) => void
  #onChange: (change: SharedChange) => void = () => undefined
  #opened = false

  /** @param commands from connectionTo */
  constructor(commands: Redis, onProblem: (error: Error) => void) {
    this.#onProblem = onProblem
    this.#commands = commands
    this.#listening = this.#commands.duplicate()
    for (const connection of [this.#commands, this.#listening])
      connection.on('error', (error: Error) => this.#onProblem(error))
  }

  /** @param onChange told what other processes do, in order */
  listen(onChange: (change: SharedChange) => void): void {
    this.#onChange = onChange
  }

  async open(): Promise<readonly StoredEntry[]> {
    try {
      await Promise.all([this.#commands.connect(), this.#listening.connect()])
    } catch (error) {
      await this.close()
      throw error
    }
    this.#listening.on('message', (_channel: string, text: string) => this.#hear(text))
    await this.#listening.subscribe(CHANGES)
    // Both connections come back by themselves; what was told in between is read instead.
    this.#listening.on('ready', () => inBackground(this.#readAnew(), (error) => this.#onProblem(error as Error)))
    const entries = await this.#heads()
    this.#opened = true
    return entries
  }

  async #heads(): Promise<StoredEntry[]> {
    const entries: StoredEntry[] = []
    const stream = this.#commands.hscanStream(HEADS, { count: 1000 })
    for await (const batch of stream) {
      const pairs = batch as string[]
      for (let i = 1; i < pairs.length; i += 2) {
        const entry = parseHeader(pairs[i]!)
        if (entry !== undefined) entries.push(entry)
      }
    }
    return entries
  }

  async #readAnew(): Promise<void> {
    if (!this.#opened) return
    try {
      await this.#listening.subscribe(CHANGES)
      this.#onChange({ kind: 'anew', entries: await this.#heads() })
    } catch (error) {
      this.#onProblem(error as Error)
    }
  }

  #hear(text: string): void {
    const message = parseMessage(text)
    if (message === undefined || message.from === this.#self) return
    if (message.kind === 'put') {
      const entry = parseHeader(message.head)
      if (entry !== undefined) this.#onChange({ kind: 'put', entry })
    } else if (message.kind === 'gone') this.#onChange({ kind: 'gone', id: message.id })
    else this.#onChange({ kind: 'purged', order: message.order })
  }

  #text(message: Message): string {
    return JSON.stringify(message)
  }

  async write(entry: StoredEntry, bodies: Bodies): Promise<void> {
    if (this.#commands.status !== 'ready') throw new Error('The server of the store does not answer')
    const head = headerText(entry)
    const key = bodyKey(entry.id)
    const fields: (string | Buffer)[] = []
    for (const [coding, bytes] of bodies) fields.push(coding, bytes)
    await this.#commands
      .multi()
      .del(key)
      .hset(key, ...fields)
      .hset(HEADS, entry.id, head)
      .publish(CHANGES, this.#text({ kind: 'put', from: this.#self, head }))
      .exec()
  }

  async remove(entry: StoredEntry): Promise<void> {
    await this.#commands
      .multi()
      .hdel(HEADS, entry.id)
      .del(bodyKey(entry.id))
      .publish(CHANGES, this.#text({ kind: 'gone', from: this.#self, id: entry.id }))
      .exec()
  }

  async bodies(entry: StoredEntry): Promise<Bodies | undefined> {
    if (this.#commands.status !== 'ready') return undefined
    const read = await this.#commands.hgetallBuffer(bodyKey(entry.id))
    const bodies = new Map<Coding, Buffer>()
    for (const { coding, digest } of entry.bodies) {
      const bytes = CODINGS.includes(coding) ? read[coding] : undefined
      if (bytes === undefined || digestOf(bytes) !== digest) return undefined
      bodies.set(coding, bytes)
    }
    return bodies
  }

  /** The first sentence about a lost connection stands until it is back, whatever the attempts in between say. */
  trouble(_error: Error): string {
    return 'The server of the store (ZEST_STORE_URL) does not answer: pages are kept in memory only until it is back. See that it runs.'
  }

  announce(order: PurgeOrder): void {
    this.#commands
      .publish(CHANGES, this.#text({ kind: 'purged', from: this.#self, order }))
      .catch((error: Error) => this.#onProblem(error))
  }

  async settled(): Promise<void> {
    if (this.#commands.status === 'ready') await this.#commands.ping()
  }

  async close(): Promise<void> {
    this.#opened = false
    this.#commands.disconnect()
    this.#listening.disconnect()
  }
}
