import type { Changed, Job } from '../../core/contracts/jobs.ts'

/** Something happened to what is stored of a site; for other parts of control, not for open screens. */
export interface StoreHappening {
  readonly siteId: string
  readonly what: 'published' | 'purged' | 'changed'
  /** Paths that are known to be old; none: whatever is not stored any more. */
  readonly paths: readonly string[]
}

export type LiveEvent = { kind: 'job'; job: Job } | { kind: 'changed'; changed: Changed }

/** Tells every open interface what has changed. */
export class EventBus {
  readonly #listeners = new Set<(event: LiveEvent) => void>()
  readonly #storeListeners = new Set<(happening: StoreHappening) => void>()

  /** @returns a function that stops listening */
  listen(listener: (event: LiveEvent) => void): () => void {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  job(job: Job): void {
    this.#send({ kind: 'job', job })
  }

  changed(siteId: string, what: Changed['what']): void {
    this.#send({ kind: 'changed', changed: { siteId, what } })
  }

  /** @returns a function that stops listening */
  listenToStore(listener: (happening: StoreHappening) => void): () => void {
    this.#storeListeners.add(listener)
    return () => this.#storeListeners.delete(listener)
  }

  store(happening: StoreHappening): void {
    for (const listener of this.#storeListeners) listener(happening)
  }

  #send(event: LiveEvent): void {
    for (const listener of this.#listeners) listener(event)
  }
}

/** For whoever tells open screens that something changed. */
export interface HasEvents {
  readonly events: EventBus
}
