import type { Socket } from 'node:net'
import pLimit from 'p-limit'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { inBackground } from '../../core/in-background.ts'
import type { Route, Routes } from '../request/routes.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import type { IndexedStore, StoreWatcher } from '../store/indexed-store.ts'
import { FramedMessages, sharedClock } from './framed-messages.ts'
import { MESSAGES_VERSION, type Copy, type PageAsked, type ToFirst, type ToFurther } from './messages.ts'

const BEAT_MS = 250
/** One that has not confirmed by then is taken for hung: it does not use its copies when it comes back, ms. */
const LONGEST_CONFIRMATION_MS = 1000
/** One that does not read is let go. */
const MOST_UNREAD = 128 * 1024 * 1024
/** Bytes of one address that are copied, all its variants together. */
const MOST_COPIED = 4 * 1024 * 1024

type Io = Pick<DeliveryIo, 'counters' | 'nextPages' | 'report' | 'routes'>

/** Routes by what they are counted as. */
const byCount = new WeakMap<Routes, Map<string, Route>>()
const routeCountedAs = (routes: Routes, countedAs: string): Route | undefined => {
  let known = byCount.get(routes)
  if (known === undefined)
    byCount.set(routes, (known = new Map([...routes.values()].map((route) => [route.countedAs, route]))))
  return known.get(countedAs)
}

/**
 * The further processes of this machine, as the first one knows them: gives them copies of what it stores, tells them when these change, and takes
 * over what they count.
 */
export class FurtherProcesses implements StoreWatcher {
  readonly #io: Io
  readonly #links = new Set<FurtherProcess>()
  #config: DeliveryConfig
  #store: IndexedStore | undefined
  #ended = false

  constructor(io: Io, config: DeliveryConfig) {
    this.#io = io
    this.#config = config
  }

  /** Have copies given of what is in the store, from now on. */
  use(store: IndexedStore): void {
    this.#store = store
    store.watch(this)
  }

  accept(socket: Socket): void {
    // Whoever comes now is to come to the process that takes this place.
    if (this.#ended) return void socket.destroy()
    const link = new FurtherProcess(socket, this.#io, () => this.#store)
    this.#links.add(link)
    socket.once('close', () => {
      this.#links.delete(link)
      link.end()
    })
    inBackground(link.configure(this.#config), (error) => this.#io.report(error, { telling: 'a further process' }))
  }

  changed(key: CacheKey): void {
    for (const link of this.#links) link.changed(key)
  }

  swept(siteId: string | undefined): void {
    for (const link of this.#links) link.swept(siteId)
  }

  /** Put a configuration in force in all of them. */
  async configure(config: DeliveryConfig): Promise<void> {
    this.#config = config
    await Promise.all([...this.#links].map((link) => link.configure(config)))
  }

  /** Resolves when none of them uses what has changed before. */
  async confirmed(): Promise<void> {
    if (this.#links.size > 0) await Promise.all([...this.#links].map((link) => link.confirmed()))
  }

  /** How many there are. */
  get size(): number {
    return this.#links.size
  }

  end(): void {
    this.#ended = true
    for (const link of this.#links) link.end()
  }
}

/** One of them. */
class FurtherProcess {
  readonly #io: Io
  readonly #store: () => IndexedStore | undefined
  readonly #messages: FramedMessages<ToFurther, ToFirst>
  /** Addresses it has copies of. */
  readonly #copied = new Set<CacheKey>()
  readonly #confirming = new Map<number, () => void>()
  readonly #beating: NodeJS.Timeout
  /** A flood of addresses must not have all their bytes read at the same time. */
  readonly #oneByOne = pLimit(1)
  #seq = 0

  constructor(socket: Socket, io: Io, store: () => IndexedStore | undefined) {
    this.#io = io
    this.#store = store
    this.#messages = new FramedMessages(socket, (message) => this.#take(message))
    this.#beating = setInterval(() => this.#beat(), BEAT_MS)
    this.#beat()
  }

  end(): void {
    clearInterval(this.#beating)
    this.#messages.close()
    for (const resolve of this.#confirming.values()) resolve()
    this.#confirming.clear()
  }

  #beat(): void {
    this.#send({ kind: 'beat', at: sharedClock() })
  }

  #send(message: ToFurther): void {
    if (this.#messages.unread > MOST_UNREAD) this.end()
    else this.#messages.send(message)
  }

  changed(key: CacheKey): void {
    if (this.#copied.delete(key)) this.#send({ kind: 'changed', key })
  }

  swept(siteId: string | undefined): void {
    this.#copied.clear()
    this.#send({ kind: 'swept', siteId })
  }

  configure(config: DeliveryConfig): Promise<void> {
    this.#copied.clear()
    return this.#toBeConfirmed((seq) => ({ kind: 'config', version: MESSAGES_VERSION, seq, config }))
  }

  confirmed(): Promise<void> {
    return this.#toBeConfirmed((seq) => ({ kind: 'confirm', seq }))
  }

  #toBeConfirmed(message: (seq: number) => ToFurther): Promise<void> {
    const seq = ++this.#seq
    return new Promise((resolve) => {
      const late = setTimeout(() => this.end(), LONGEST_CONFIRMATION_MS)
      this.#confirming.set(seq, () => {
        clearTimeout(late)
        resolve()
      })
      this.#send(message(seq))
    })
  }

  #take(message: ToFirst): void {
    switch (message.kind) {
      case 'want':
        return inBackground(
          this.#oneByOne(() => this.#give(message.key)),
          (error) => this.#io.report(error, { copying: message.key }),
        )
      case 'dropped':
        this.#copied.delete(message.key)
        return
      case 'confirmed':
        this.#confirming.get(message.seq)?.()
        this.#confirming.delete(message.seq)
        return
      case 'answered':
        return this.#count(message)
    }
  }

  async #give(key: CacheKey): Promise<void> {
    // From here on it is noticed when it changes.
    this.#copied.add(key)
    const copies = await this.#read(key)
    if (copies.length === 0) this.#copied.delete(key)
    // Changed while it was read: what is asked for next is a copy of the newer state.
    this.#send({ kind: 'copies', key, copies: this.#copied.has(key) ? copies : [] })
  }

  async #read(key: CacheKey): Promise<Copy[]> {
    const store = this.#store()
    const entries = store?.candidates(key) ?? []
    const bytes = entries.reduce((sum, { bodies }) => sum + bodies.reduce((of, body) => of + body.bytes, 0), 0)
    if (store === undefined || bytes > MOST_COPIED) return []
    const copies: Copy[] = []
    for (const entry of entries) {
      const bodies: [Copy['bodies'][number][0], Buffer][] = []
      for (const { coding } of entry.bodies) {
        const body = await store.body(entry, coding)
        if (body === undefined) return []
        bodies.push([coding, body])
      }
      // Who was the first to use what a warm-up had fetched is counted here.
      copies.push({ entry: { ...entry, filledBy: undefined }, bodies })
    }
    return copies
  }

  #count({ answers, pages, used }: ToFirst & { kind: 'answered' }): void {
    const routes = this.#io.routes()
    for (const { countedAs, outcome, answer, record } of answers) {
      const route = routeCountedAs(routes, countedAs)
      if (route !== undefined) this.#io.counters.count(route, outcome, answer, record)
    }
    for (const page of pages) this.#noteAsked(routes, page)
    for (const key of used) this.#store()?.touch(key)
  }

  #noteAsked(routes: Routes, { countedAs, target, referer, host }: PageAsked): void {
    const route = routeCountedAs(routes, countedAs)
    if (route === undefined) return
    const fields = referer === undefined ? [] : ([['referer', referer]] as const)
    this.#io.nextPages?.asked({ io: this.#io, route, target, fields, visitor: { host } })
  }
}
