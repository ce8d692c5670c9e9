import { z } from 'zod'
import {
  ObjectsContent,
  ObjectsEntries,
  ObjectsFlushed,
  ObjectsNoted,
  ObjectsUsage,
  type ObjectsConfig,
  type ObjectsContentQuery,
  type ObjectsFlush,
  type ObjectsQuery,
} from '../../core/contracts/objects.ts'
import { askOnce } from '../../process/json-over-socket.ts'

const HeldContent = z.object({ content: ObjectsContent.nullable() })

/** The object cache did not take an order. */
export class ObjectsUnavailable extends Error {
  constructor(why: string) {
    super(`The object cache does not answer (${why}). Sites that use it ask their database meanwhile.`)
  }
}

/** Control's side of the control channel. */
export class ObjectsClient {
  readonly #socketPath: string

  constructor(socketPath: string) {
    this.#socketPath = socketPath
  }

  async #send(method: string, path: string, body?: unknown): Promise<unknown> {
    return askOnce(this.#socketPath, { method, path, body }).catch((error: Error) => {
      throw new ObjectsUnavailable(error.message)
    })
  }

  /** Resolves once the new configuration is in force. @throws ObjectsUnavailable */
  async configure(config: ObjectsConfig): Promise<void> {
    await this.#send('PUT', '/config', config)
  }

  /** @throws ObjectsUnavailable */
  async usage(siteId: string): Promise<ObjectsUsage> {
    return ObjectsUsage.parse(await this.#send('GET', `/usage/${encodeURIComponent(siteId)}`))
  }

  /** @throws ObjectsUnavailable */
  async flush(siteId: string, order: ObjectsFlush): Promise<ObjectsFlushed> {
    return ObjectsFlushed.parse(await this.#send('POST', `/flushes/${encodeURIComponent(siteId)}`, order))
  }

  /** Let go certain entries. @param keys as `note` gives them @throws ObjectsUnavailable */
  async flushKeys(siteId: string, keys: readonly string[]): Promise<ObjectsFlushed> {
    return ObjectsFlushed.parse(await this.#send('POST', `/key-flushes/${encodeURIComponent(siteId)}`, { keys }))
  }

  /** Begin to note which values are read, or end it and tell which were. @throws ObjectsUnavailable */
  async note(siteId: string, what: 'begin' | 'end'): Promise<ObjectsNoted> {
    return ObjectsNoted.parse(await this.#send('POST', `/notings/${encodeURIComponent(siteId)}`, { what }))
  }

  /** What an entry holds; null: there is none. @throws ObjectsUnavailable */
  async content(siteId: string, query: ObjectsContentQuery): Promise<ObjectsContent | null> {
    return HeldContent.parse(await this.#send('POST', `/contents/${encodeURIComponent(siteId)}`, query)).content
  }

  /** Let every read of values of a site miss. @param ms for how long at most; 0: no longer @throws ObjectsUnavailable */
  async missReads(siteId: string, ms: number): Promise<void> {
    await this.#send('POST', `/misses/${encodeURIComponent(siteId)}`, { ms })
  }

  /** @throws ObjectsUnavailable */
  async entries(siteId: string, query: ObjectsQuery): Promise<ObjectsEntries> {
    return ObjectsEntries.parse(await this.#send('POST', `/entries/${encodeURIComponent(siteId)}`, query))
  }
}

/** For whoever asks or orders something of the object cache. */
export interface HasObjects {
  readonly objects: ObjectsClient
}
