import type { ObjectsConfig, ObjectsSite } from '../../core/contracts/objects.ts'
import { ObjectsUnavailable, type ObjectsClient } from '../../objects/control/client.ts'
import type { Database } from '../db/database.ts'
import { objectCaches } from '../db/objects-schema.ts'

const RETRY_MS = 1000

/** Keeps the object cache on what the database holds. */
export class ObjectsPublisher {
  readonly #db: Database
  readonly #objects: ObjectsClient
  readonly #log: (sentence: string) => void
  #retry: NodeJS.Timeout | undefined
  #closed = false

  constructor(db: Database, objects: ObjectsClient, log: (sentence: string) => void) {
    this.#db = db
    this.#objects = objects
    this.#log = log
  }

  async #config(): Promise<ObjectsConfig> {
    const rows = await this.#db.select().from(objectCaches)
    const sites = rows.flatMap(({ siteId, settings, passwordDigest }): ObjectsSite[] =>
      // Nobody could use it.
      passwordDigest === null ? [] : [{ ...settings, siteId, name: siteId, passwordDigest }],
    )
    return { revision: Date.now(), sites }
  }

  /** Resolves once it is in force. @throws ObjectsUnavailable, and goes on trying in the background */
  async publish(): Promise<void> {
    clearTimeout(this.#retry)
    try {
      await this.#objects.configure(await this.#config())
    } catch (error) {
      if (!(error instanceof ObjectsUnavailable))
        this.#log(`The settings could not be sent to the object cache: ${(error as Error).message}`)
      if (!this.#closed) this.#retry = setTimeout(() => this.publishBehind(), RETRY_MS)
      throw error
    }
  }

  /** The same for when nobody waits for the result. */
  publishBehind(): void {
    void this.publish().catch(() => undefined)
  }

  close(): void {
    this.#closed = true
    clearTimeout(this.#retry)
  }
}

/** For whoever changes what the object cache goes by. */
export interface HasObjectsPublisher {
  readonly objectsPublisher: ObjectsPublisher
}
