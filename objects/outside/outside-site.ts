import type { ObjectsContent, ObjectsContentQuery } from '../../core/contracts/objects.ts'
import { inBackground } from '../../core/in-background.ts'
import { parseInt64, type ReadListener } from '../commands/call.ts'
import { isKeyAt, KEY_PLACES, type KeyPlaces } from '../commands/key-places.ts'
import { LARGEST_STRING } from '../commands/strings.ts'
import { VALUE_READS } from '../commands/value-reads.ts'
import { NONE } from '../keyspace/entry-table.ts'
import { isNothing, partsOf, TOO_LARGE, valueBytesOf, type Frame } from '../resp/reply-reader.ts'
import { ReplyTooLarge, type RespVersion } from '../resp/reply-writer.ts'
import type { Asked, ClientOfOutside, OutsideValues, Replied } from '../sites/outside-values.ts'
import type { SiteObjects } from '../sites/site-objects.ts'
import { encodeCommand } from './encode-command.ts'
import { OutsideClient, type SiteOfClient } from './outside-client.ts'
import { readContent } from './outside-content.ts'
import { nameOf, prefixOf, type OutsideKey } from './outside-key.ts'
import type { OutsideServer } from './outside-server.ts'
import { copyOf, runOnKeys, runOnNothing } from './run-on-keys.ts'
import type { ServerConnection } from './server-connection.ts'

/** Errors that tell of the server, not of the command: a content system has to be spared them. */
const OF_SERVER =
  /^-(?:OOM|LOADING|READONLY|MISCONF|NOAUTH|NOPERM|BUSY|MASTERDOWN|CLUSTERDOWN|TRYAGAIN|NOREPLICAS|MOVED|ASK) /
const READS_TOO = new Set(['GETSET', 'GETDEL', 'GETEX'])
/** Content systems find by these what an edit has to remove: who is told that nothing is there would leave it. */
const FINDS = new Set([
  ...['SMEMBERS', 'SISMEMBER', 'SMISMEMBER', 'SRANDMEMBER', 'SSCAN', 'SPOP', 'SUNION', 'SINTER', 'SDIFF'],
  ...['HKEYS', 'HSCAN'],
])
const FLUSHES = new Set(['FLUSHDB', 'FLUSHALL'])
const MOST_REPLY_BYTES = 64 * 1024 * 1024
const TOO_LARGE_REPLY = Buffer.from(
  `-ERR a reply may take ${MOST_REPLY_BYTES} bytes at most. Ask for fewer keys at once.\r\n`,
)

/** The sentence of a server that does not do its work. @returns undefined: it does */
const refusalIn = (frame: Buffer): string | undefined => {
  const begin = frame.toString('latin1', 0, 200)
  return OF_SERVER.test(begin) ? begin.slice(1).trim() : undefined
}

/** How large a string gets of which a part is set. @param before its size, bytes */
const reachOf = (args: readonly Buffer[], before: number): number => {
  const end = (parseInt64(args[2]?.toString('latin1') ?? '') ?? 0n) + BigInt(args[3]?.length ?? 0)
  // The server refuses what can be no string, and does nothing where nothing is set.
  return args[3]?.length === 0 || end > LARGEST_STRING ? 0 : Math.max(before, Number(end))
}

/** The values of one site in another server: what it may store, what was asked for, and what to answer while the server is away. */
export class OutsideSite implements OutsideValues, SiteOfClient {
  readonly site: SiteObjects
  readonly server: OutsideServer
  readonly #now: () => number

  constructor(site: SiteObjects, server: OutsideServer, now: () => number) {
    this.site = site
    this.server = server
    this.#now = now
    server.attach(site)
  }

  get problem(): string | null {
    return this.server.problem
  }

  newClient(): ClientOfOutside {
    return new OutsideClient(this)
  }

  remove(db: number, key: Buffer): void {
    this.server.tracker.remove({ siteId: this.site.siteId, db, key: Buffer.from(key) })
  }

  flush(): void {
    inBackground(this.server.flush(this.site.siteId), () => undefined)
  }

  async content(query: ObjectsContentQuery): Promise<ObjectsContent | undefined> {
    return readContent(this.server.questions, this.site.siteId, query)
  }

  end(): void {
    this.server.detach(this.site.siteId)
  }

  /**
   * @param own the client's own connection; undefined: the one that all share
   * @returns how large the reply will be, about, bytes. @throws ValueTooLarge, ReplyTooLarge
   */
  run(asked: Asked, version: RespVersion, own: ServerConnection | undefined, replied: Replied): number {
    const places = KEY_PLACES.get(asked.name)
    if (places === undefined) {
      this.#aboutAll(copyOf(asked), version, replied)
      return 0
    }
    const here = this.missesRead(asked) ? this.onNothing(asked, version) : undefined
    if (here !== undefined) {
      replied(here)
      return here.length
    }
    this.check(asked)
    const about = this.#replyBytes(asked, places)
    const kept = copyOf(asked)
    const connection = own ?? this.server.connection(version)
    if (connection === undefined) replied(this.away(kept, version))
    else connection.send(this.encode(kept), (frame) => replied(this.answered(kept, version, frame)))
    return about
  }

  /** By what is known of the keys. @throws ReplyTooLarge */
  #replyBytes({ args, db }: Asked, { effect, place }: KeyPlaces): number {
    if (effect !== 'reads' && effect !== 'looks') return 0
    const { keys } = this.site
    let bytes = 0
    for (const [at, key] of args.entries()) {
      const entry = at > 0 && isKeyAt(place, at) ? keys.find(db, key) : NONE
      if (entry !== NONE) bytes += keys.sizeOf(entry)
    }
    if (bytes > MOST_REPLY_BYTES)
      throw new ReplyTooLarge(`a reply may take ${MOST_REPLY_BYTES} bytes at most. Ask for fewer keys at once.`)
    return bytes
  }

  missesRead({ name }: Asked): boolean {
    return VALUE_READS.has(name) && this.site.missesReads(this.#now())
  }

  onNothing(asked: Asked, version: RespVersion): Buffer {
    return runOnNothing(this.site.nothing, asked, version, this.#now())
  }

  /** Whether what it stores is within the site's bounds. @throws ValueTooLarge */
  check({ name, args, db }: Asked): void {
    const { keys } = this.site
    const { effect, place } = KEY_PLACES.get(name) ?? { effect: 'looks', place: 'first' }
    if (effect !== 'stores' && effect !== 'grows') return
    const sizes = args.map(({ length }) => length)
    if (place === 'pairs') {
      for (let at = 1; at < sizes.length; at += 2) keys.checkString((sizes[at] ?? 0) + (sizes[at + 1] ?? 0))
      return
    }
    const given = sizes.slice(1).reduce((sum, one) => sum + one, 0)
    const entry = effect === 'grows' ? keys.find(db, args[1] ?? Buffer.alloc(0)) : NONE
    const before = entry === NONE ? 0 : keys.sizeOf(entry)
    keys.checkString(name === 'SETRANGE' ? reachOf(args, before) : given + before)
  }

  encode({ name, args, db }: Asked): Buffer {
    const place = KEY_PLACES.get(name)?.place
    const prefix = Buffer.from(prefixOf(this.site.siteId, db))
    return encodeCommand(
      args.map((word, at) => (place !== undefined && isKeyAt(place, at) ? Buffer.concat([prefix, word]) : word)),
    )
  }

  /** The reply to a client, and what is learnt from it. */
  answered(asked: Asked, version: RespVersion, frame: Frame | undefined): Buffer {
    if (frame === TOO_LARGE) return TOO_LARGE_REPLY
    const refusal = frame === undefined ? undefined : refusalIn(frame)
    if (frame === undefined || refusal !== undefined) {
      if (refusal !== undefined) this.server.refused(refusal)
      return this.away(asked, version)
    }
    this.#learn(asked, frame)
    return frame
  }

  /** The server did not do it, or nobody knows: nothing is there, and older values must not come back. */
  away(asked: Asked, version: RespVersion): Buffer {
    const { siteId } = this.site
    const places = KEY_PLACES.get(asked.name)
    if (FINDS.has(asked.name)) this.server.forgetAll(siteId)
    else if (places !== undefined && places.effect !== 'reads' && places.effect !== 'looks')
      this.server.forget(siteId, this.#keysOf(asked, places))
    return this.onNothing(asked, version)
  }

  /** What keys are called in the server. */
  namesOf(keys: readonly Buffer[], db: number): Buffer[] {
    const { siteId } = this.site
    return keys.map((key) => nameOf({ siteId, db, key }))
  }

  #keysOf({ args, db }: Asked, { place }: KeyPlaces): OutsideKey[] {
    const { siteId } = this.site
    return args.flatMap((key, at) => (at > 0 && isKeyAt(place, at) ? [{ siteId, db, key }] : []))
  }

  #learn(asked: Asked, frame: Buffer): void {
    const places = KEY_PLACES.get(asked.name)
    if (places === undefined || frame[0] === 45) return
    const keys = this.#keysOf(asked, places)
    if (places.effect === 'reads' || READS_TOO.has(asked.name)) {
      const parts = places.place === 'all' ? partsOf(frame) : [frame]
      const reads = this.site.readsOf(asked.db, this.#now())
      for (const [at, key] of keys.entries()) this.#count(key, parts[at], reads)
    }
    if (places.effect === 'reads' || places.effect === 'looks') return
    const how = places.effect === 'changes' && !asked.name.startsWith('RENAME') ? 'changed' : 'written'
    for (const key of keys) this.server.tracker.touch(key, how)
  }

  /** @param frame what came for this key; a number says nothing of whether it is there */
  #count(of: OutsideKey, frame: Buffer | undefined, reads: ReadListener): void {
    const { keys } = this.site
    const { db, key } = of
    const known = keys.find(db, key)
    const isMiss = frame === undefined || (frame[0] === 58 ? known === NONE : isNothing(frame))
    if (isMiss) {
      reads.onMiss(key)
      if (known !== NONE) this.server.tracker.touch(of, 'changed')
      return
    }
    if (known === NONE) this.server.tracker.touch(of, 'changed')
    else keys.read(known)
    reads.onHit(key, known, valueBytesOf(frame))
  }

  /** Commands about all keys of a database: what is known here answers them. */
  #aboutAll(asked: Asked, version: RespVersion, replied: Replied): void {
    const { site, server } = this
    if (FLUSHES.has(asked.name)) {
      const reply = this.onNothing(asked, version)
      if (reply[0] !== 43) return replied(reply)
      const db = asked.name === 'FLUSHDB' ? asked.db : undefined
      const emptied = server.tracker
        .settled()
        .then(() => server.flush(site.siteId, db))
        .then(() => site.mirror('written', () => site.keys.clear(db)))
      emptied.then(
        () => replied(reply),
        () => replied(reply),
      )
      return
    }
    server.tracker.settled().then(
      () => replied(runOnKeys(site.keys, asked, version, this.#now())),
      () => replied(this.onNothing(asked, version)),
    )
  }
}
