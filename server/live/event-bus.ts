import type { Changed, Job } from '../../core/contracts/jobs.ts'

export type LiveEvent = { kind: 'job'; job: Job } | { kind: 'changed'; changed: Changed }

/** Tells every open interface what has changed. */
export class EventBus {
  readonly #listeners = new Set<(event: LiveEvent) => void>()

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

  #send(event: LiveEvent): void {
    for (const listener of this.#listeners) listener(event)
  }
}

/** For whoever tells open screens that something changed. */
export interface HasEvents {
  readonly events: EventBus
}
