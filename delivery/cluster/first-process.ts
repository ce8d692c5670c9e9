import { connect, type Socket } from 'node:net'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { LRUCache } from 'lru-cache'
import { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { Copies } from './copies.ts'
import { FramedMessages, sharedClock } from './framed-messages.ts'
import { MESSAGES_VERSION, type Answered, type PageAsked, type ToFirst, type ToFurther } from './messages.ts'
import { PassOn } from './pass-on.ts'

/** Bytes of copies that a further process holds. */
const COPIES_BYTES = 64 * 1024 * 1024
/** The first process says something four times a second; when what was heard last is older, copies are not used, ms. */
const LONGEST_SILENCE_MS = 1000
const BETWEEN_TRIES_MS = 50
/** What was answered is told in batches, ms. */
const TELL_EVERY_MS = 100
const MOST_UNTOLD = 200
/** Copies that are asked for at a time. */
const MOST_WANTED = 50
/** Requests for what turned out not to be stored, before it is asked for again. */
const NOT_STORED_FOR = 20
/** Addresses that were asked for once; whoever is asked for again is worth a copy. */
const MOST_ONCE = 20_000

/** Another version of Zest Lamp runs as the first process. */
export class OtherVersion extends Error {}

interface Settings {
  /** Socket of the messages. */
  readonly messagesPath: string
  /** Socket of requests that are handed on. */
  readonly requestsPath: string
  /** Puts a configuration in force. @throws where it cannot be */
  readonly configure: (config: DeliveryConfig) => void
  /** Requests for an address before a copy of it is asked for. */
  readonly worthCopying?: number
  readonly report: (error: unknown) => void
  /** This process cannot go on, and is to be started again. */
  readonly end: (error: OtherVersion) => void
}

/**
 * The first process as a further one of the same machine knows it. It has the only store, asks the origin, and hears of purges; from it come the
 * configuration and copies of what is asked for often, and to it goes every request that a copy does not answer. When it is gone, copies are not used.
 */
export class FirstProcess {
  readonly copies: Copies
  readonly #settings: Settings
  readonly #passOn: PassOn
  readonly #once = new LRUCache<CacheKey, number>({ max: MOST_ONCE })
  readonly #wanted = new Set<CacheKey>()
  #link: FramedMessages<ToFirst, ToFurther> | undefined
  /** When it was sent what was heard last: what has waited to be read may be old. */
  #heardAt = Number.NEGATIVE_INFINITY
  #answers: Answered[] = []
  #pages: PageAsked[] = []
  #used = new Set<CacheKey>()
  #timer: NodeJS.Timeout | undefined
  #telling: NodeJS.Timeout | undefined
  #ended = false
  #onReady: () => void = () => undefined
  /** Resolves when the first configuration is in force. */
  readonly ready: Promise<void>

  constructor(settings: Settings) {
    this.#settings = settings
    this.#passOn = new PassOn(settings.requestsPath, settings.report)
    this.copies = new Copies(
      COPIES_BYTES,
      () => sharedClock() - this.#heardAt < LONGEST_SILENCE_MS,
      (key) => this.#link?.send({ kind: 'dropped', key }),
    )
    this.ready = new Promise((resolve) => (this.#onReady = resolve))
    this.#connect()
  }

  /** Have a request answered there. @param key of the copy that could have answered it */
  pass(req: IncomingMessage, res: ServerResponse, key?: CacheKey): Promise<void> {
    const passing = this.#passOn.pass(req, res)
    // After the answer: then there is something to copy.
    return key === undefined ? passing : passing.then(() => this.#wish(key))
  }

  upgrade(req: IncomingMessage, socket: Socket, head: Buffer): void {
    this.#passOn.upgrade(req, socket, head)
  }

  /** A copy has answered a request. */
  used(key: CacheKey): void {
    this.#used.add(key)
  }

  answered(answer: Answered): void {
    this.#answers.push(answer)
    this.#tellSoon()
  }

  asked(page: PageAsked): void {
    this.#pages.push(page)
    this.#tellSoon()
  }

  /** Copies that were asked for and have not come yet. */
  get wanted(): number {
    return this.#wanted.size
  }

  /** Tell what has not been told yet. */
  tell(): void {
    clearTimeout(this.#telling)
    this.#telling = undefined
    if (this.#answers.length === 0 && this.#pages.length === 0) return
    this.#link?.send({ kind: 'answered', answers: this.#answers, pages: this.#pages, used: [...this.#used] })
    this.#answers = []
    this.#pages = []
    this.#used = new Set()
  }

  end(): void {
    this.#ended = true
    clearTimeout(this.#timer)
    this.tell()
    this.#link?.close()
    this.#passOn.close()
  }

  #tellSoon(): void {
    if (this.#answers.length >= MOST_UNTOLD) return this.tell()
    this.#telling ??= setTimeout(() => this.tell(), TELL_EVERY_MS)
  }

  #wish(key: CacheKey): void {
    const times = (this.#once.get(key) ?? 0) + 1
    this.#once.set(key, times)
    if (times < (this.#settings.worthCopying ?? 2) || this.#wanted.has(key) || this.#link === undefined) return
    if (this.#wanted.size >= MOST_WANTED) return
    this.#wanted.add(key)
    this.#link.send({ kind: 'want', key })
  }

  #connect(): void {
    const socket = connect(this.#settings.messagesPath)
    const link = new FramedMessages<ToFirst, ToFurther>(socket, (message) => this.#take(message))
    socket.once('connect', () => (this.#link = link))
    socket.once('close', () => {
      this.#forget()
      if (this.#ended) return
      this.#timer = setTimeout(() => this.#connect(), BETWEEN_TRIES_MS)
    })
  }

  /** Nothing is heard of changes any more. */
  #forget(): void {
    this.#link = undefined
    this.#heardAt = Number.NEGATIVE_INFINITY
    this.#wanted.clear()
    this.copies.swept(undefined)
    this.#passOn.reconnect()
  }

  #take(message: ToFurther): void {
    switch (message.kind) {
      case 'config':
        return this.#configure(message)
      case 'copies':
        this.#wanted.delete(message.key)
        if (message.copies.length > 0) this.copies.take(message.key, message.copies)
        // What is not stored is not asked for with every request.
        else this.#once.set(message.key, -NOT_STORED_FOR)
        return
      case 'changed':
        return this.copies.changed(message.key)
      case 'swept':
        return this.copies.swept(message.siteId)
      case 'confirm':
        // Whoever asks for a confirmation may be about to read what was counted.
        this.tell()
        return this.#link?.send({ kind: 'confirmed', seq: message.seq })
      case 'beat':
        this.#heardAt = message.at
    }
  }

  #configure({ version, seq, config }: ToFurther & { kind: 'config' }): void {
    if (version !== MESSAGES_VERSION)
      return this.#settings.end(new OtherVersion('The first process is of another version.'))
    this.copies.swept(undefined)
    this.#settings.configure(DeliveryConfig.parse(config))
    this.#link?.send({ kind: 'confirmed', seq })
    this.#onReady()
  }
}
