import type { Redis } from 'ioredis'
import { inBackground } from '../../core/in-background.ts'
import type { RespVersion } from '../resp/reply-writer.ts'
import { Behind } from './behind.ts'
import { KeyTracker, type TrackedSite } from './key-tracker.ts'
import { nameOf, prefixOf, type OutsideKey } from './outside-key.ts'
import { parseServerAddress, type ServerAddress } from './server-address.ts'
import { ServerConnection, type ConnectionEvents } from './server-connection.ts'
import { removeBeginning, removeNames } from './server-keys.ts'
import { ServerLine } from './server-line.ts'

const PATIENCE_MS = 2000
const LONGEST_PAUSE_MS = 2000
/** Others may write too: how often all keys are gone through, ms. */
const ROUND_MS = 10 * 60_000
/** How long a refusal of the server is told, ms. */
const TOLD_MS = 60_000

export interface OutsideIo {
  readonly now: () => number
  /** Something went wrong that nobody waits for. */
  readonly report: (error: Error) => void
  /** Sites of which everything was behind when an earlier process ended. */
  readonly behind: readonly string[]
  /** Keeps which sites are behind, for a process that comes after this one. */
  readonly keepBehind: (siteIds: readonly string[]) => void
}

/**
 * The server that keeps the values (ZEST_OBJECTS_URL): one connection for each version of the protocol, which all clients share, and one for knowing what is
 * there. Nobody is served from it before all that was written while it was away has been removed.
 */
export class OutsideServer {
  readonly tracker: KeyTracker
  readonly #address: ServerAddress
  readonly #io: OutsideIo
  readonly #redis: Redis
  readonly #lines: Readonly<Record<RespVersion, ServerLine>>
  readonly #lineProblems: Record<RespVersion, string | undefined> = { 2: undefined, 3: undefined }
  readonly #behind: Behind
  #serving = false
  #away = 'it was not reached yet'
  #refusal: { readonly sentence: string; readonly until: number } | undefined
  readonly #rounds: NodeJS.Timeout
  #round: Promise<void> = Promise.resolve()
  #closed = false

  /** @param redis a connection that is not made yet */
  private constructor(address: ServerAddress, redis: Redis, io: OutsideIo) {
    this.#address = address
    this.#redis = redis
    this.#io = io
    this.#behind = new Behind(io.behind, io.keepBehind)
    this.tracker = new KeyTracker(redis, io.now, (error) => this.#failed(error))
    const line = (version: RespVersion): ServerLine =>
      new ServerLine(address, version, (why, was) => {
        this.#lineProblems[version] = why
        if (was === 'connecting') return
        // What was under way may have been done or not: nobody reads before that is clear.
        this.#lost(why)
        this.#anew()
      })
    this.#lines = { 2: line(2), 3: line(3) }
    redis.on('ready', () => this.#catchUp())
    redis.on('close', () => this.#lost('the connection was lost'))
    redis.on('error', (error: Error) => (this.#away = error.message))
    this.#rounds = setInterval(() => this.#goRound(), ROUND_MS)
    this.#rounds.unref()
  }

  /** Begins to connect; it may be away. @throws Error: the address is none */
  static async open(url: string, io: OutsideIo): Promise<OutsideServer> {
    const address = parseServerAddress(url)
    // Most owners have no such server: the library is loaded where there is one.
    const { Redis } = await import('ioredis')
    const redis = new Redis({
      host: address.host,
      port: address.port,
      db: address.db,
      ...(address.user !== undefined && { username: address.user }),
      ...(address.password !== undefined && { password: address.password }),
      ...(address.secure && { tls: {} }),
      lazyConnect: true,
      enableOfflineQueue: false,
      maxRetriesPerRequest: 0,
      connectTimeout: PATIENCE_MS,
      commandTimeout: PATIENCE_MS,
      socketTimeout: PATIENCE_MS,
      retryStrategy: (times) => Math.min(LONGEST_PAUSE_MS, 50 * times),
    })
    const server = new OutsideServer(address, redis, io)
    // The first attempt fails where later ones may not.
    redis.connect().catch((error: Error) => (server.#away = error.message))
    return server
  }

  /** Where clients' commands go. @returns undefined: it is away */
  connection(version: RespVersion): ServerConnection | undefined {
    return this.#serving ? this.#lines[version].connection : undefined
  }

  /** A connection for one client alone. @returns undefined: it is away */
  ownConnection(version: RespVersion, events: ConnectionEvents): ServerConnection | undefined {
    return this.#serving ? new ServerConnection(this.#address, version, events) : undefined
  }

  /** What an owner has to know; null: nothing. */
  get problem(): string | null {
    if (!this.#serving)
      return `The server that keeps the values (ZEST_OBJECTS_URL) does not answer: ${this.#away}. Reads miss until it is back, and your content system asks its database. See that it runs.`
    if (this.#refusal !== undefined && this.#refusal.until > this.#io.now()) return this.#refusal.sentence
    for (const version of [2, 3] as const)
      if (this.#lines[version].connection === undefined && this.#lineProblems[version] !== undefined)
        return `The server that keeps the values (ZEST_OBJECTS_URL) does not speak version ${version} of the protocol here: ${this.#lineProblems[version]}. Clients of that version get misses.`
    return null
  }

  /** The server is there, and does not do what it is asked. @param why its own words */
  refused(why: string): void {
    this.#refusal = {
      sentence: `The server that keeps the values (ZEST_OBJECTS_URL) refuses commands: “${why}”. Reads miss meanwhile, and what it refuses is not stored.`,
      until: this.#io.now() + TOLD_MS,
    }
  }

  attach(site: TrackedSite): void {
    this.tracker.attach(site)
    this.#goRound()
  }

  /** The site is no longer served: what it has there leaves. */
  detach(siteId: string): void {
    this.tracker.detach(siteId)
    this.forgetAll(siteId)
  }

  /** What was to be written may not have arrived: older values of these keys must not be read again. */
  forget(siteId: string, keys: readonly OutsideKey[]): void {
    const names = keys.map(nameOf)
    const texts = names.map((name) => name.toString('latin1'))
    if (!this.#serving) return this.#behind.note(siteId, texts)
    removeNames(this.#redis, names).catch(() => {
      this.#behind.note(siteId, texts)
      this.#anew()
    })
  }

  /** The same for all keys of a site. */
  forgetAll(siteId: string): void {
    inBackground(this.flush(siteId), (error) => this.#io.report(error as Error))
  }

  /** Let go all that a site has, or all of one of its databases. @returns how many keys; it may be away, then they leave before it serves again */
  async flush(siteId: string, db?: number): Promise<number> {
    if (!this.#serving) {
      this.#behind.noteAll(siteId)
      return 0
    }
    try {
      return await removeBeginning(this.#redis, prefixOf(siteId, db))
    } catch {
      this.#behind.noteAll(siteId)
      this.#anew()
      return 0
    }
  }

  /** What is behind is removed once a connection is made. */
  #anew(): void {
    if (!this.#closed) this.#redis.disconnect(true)
  }

  /** For questions of the owner. @throws Error while it is away */
  get questions(): Redis {
    if (!this.#serving) throw new Error(this.problem ?? '')
    return this.#redis
  }

  /** What is known of keys could not be asked or done: the server refuses that, or cannot be asked any more. */
  #failed(error: Error): void {
    if (error.name === 'ReplyError') return this.refused(error.message)
    this.#lost(error.message)
    this.#anew()
  }

  #lost(why: string): void {
    if (this.#serving) this.#away = why
    this.#serving = false
    for (const name of this.tracker.takeRemovals()) this.#noteRemoval(name)
  }

  #noteRemoval(name: Buffer): void {
    const text = name.toString('latin1')
    const siteId = decodeURIComponent(text.split(':')[1] ?? '')
    this.#behind.note(siteId, [text])
  }

  #catchUp(): void {
    const done = async (): Promise<void> => {
      while (!this.#behind.isEmpty)
        for (const [siteId, what] of this.#behind.take()) await this.#removeBehind(siteId, what)
      this.#io.keepBehind([])
      this.#serving = true
      this.#goRound()
    }
    done().catch((error: Error) => {
      this.#away = error.message
      // A server that refuses is not asked again and again without a pause.
      setTimeout(() => this.#anew(), LONGEST_PAUSE_MS).unref()
    })
  }

  async #removeBehind(siteId: string, what: 'all' | readonly string[]): Promise<void> {
    try {
      if (what === 'all') await removeBeginning(this.#redis, prefixOf(siteId))
      else
        await removeNames(
          this.#redis,
          what.map((name) => Buffer.from(name, 'latin1')),
        )
    } catch (error) {
      if (what === 'all') this.#behind.noteAll(siteId)
      else this.#behind.note(siteId, what)
      throw error
    }
  }

  #goRound(): void {
    if (!this.#serving) return
    this.#round = this.#round
      .then(() => (this.#serving ? this.tracker.round() : undefined))
      // It is lost again; the next round comes once it is back.
      .catch(() => undefined)
  }

  close(): void {
    this.#closed = true
    this.#serving = false
    clearInterval(this.#rounds)
    for (const line of Object.values(this.#lines)) line.close()
    this.#redis.disconnect()
  }
}
