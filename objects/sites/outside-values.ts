import type { ObjectsContent, ObjectsContentQuery } from '../../core/contracts/objects.ts'
import type { Command } from '../commands/call.ts'
import type { RespVersion } from '../resp/reply-writer.ts'

/** A command on keys of a site. */
export interface Asked {
  readonly name: string
  readonly command: Command
  /** Its name first. Valid as long as the call lasts. */
  readonly args: readonly Buffer[]
  readonly db: number
}

/** Told the whole reply, once, as it goes to the client. */
export type Replied = (reply: Buffer) => void

/** One client's way to values that are kept in another server. */
export interface ClientOfOutside {
  /** @returns how large the reply will be, about, bytes. @throws Refusal, ValueTooLarge before anything is sent */
  readonly run: (asked: Asked, version: RespVersion, replied: Replied) => number
  /** A whole transaction. @param steps commands, and replies of those that were about the connection itself */
  readonly exec: (steps: readonly (Asked | Buffer)[], version: RespVersion, replied: Replied) => void
  readonly watch: (keys: readonly Buffer[], db: number, version: RespVersion, replied: Replied) => void
  readonly unwatch: () => void
}

/** Values of a site that are kept in another server. */
export interface OutsideValues {
  readonly problem: string | null
  readonly newClient: () => ClientOfOutside
  /** A key is to leave. */
  readonly remove: (db: number, key: Buffer) => void
  /** All keys are to leave, those that are not known here too. */
  readonly flush: () => void
  /** @throws Error while it is away */
  readonly content: (query: ObjectsContentQuery) => Promise<ObjectsContent | undefined>
  /** The site is no longer served. */
  readonly end: () => void
}
