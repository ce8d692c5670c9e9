import { createHash } from 'node:crypto'
import { open, readFile, rename, rm } from 'node:fs/promises'
import { NONE } from '../keyspace/entry-table.ts'
import { fieldBytes, memberBytes } from '../keyspace/bounds.ts'
import type { Keyspace } from '../keyspace/keyspace.ts'

/** What came of an earlier snapshot. */
export type SnapshotOutcome =
  | { readonly kind: 'none' }
  | { readonly kind: 'loaded'; readonly entries: number }
  | { readonly kind: 'damaged'; readonly why: string }

const MAGIC = Buffer.from('zest-objects 1\n')
const DIGEST_BYTES = 32
/** Database, type, expiry, length of the key, number of parts. */
const HEAD_BYTES = 1 + 1 + 8 + 4 + 4
const TYPES = ['string', 'hash', 'set'] as const
/** Entries are put together before they are written. */
const CHUNK_BYTES = 256 * 1024

const withLength = (part: Buffer): Buffer => {
  const length = Buffer.alloc(4)
  length.writeUInt32LE(part.length)
  return Buffer.concat([length, part])
}

const partsOf = (keys: Keyspace, entry: number): Buffer[] => {
  const bytes = (text: string): Buffer => Buffer.from(text, 'latin1')
  switch (keys.typeOf(entry)) {
    case 'string':
      return [keys.stringOf(entry)]
    case 'hash':
      return [...keys.hashOf(entry)].flatMap(([field, value]) => [bytes(field), bytes(value)])
    case 'set':
      return [...keys.setOf(entry)].map(bytes)
  }
}

const encoded = (keys: Keyspace, entry: number): Buffer => {
  const key = keys.keyOf(entry)
  const parts = partsOf(keys, entry)
  const head = Buffer.alloc(HEAD_BYTES)
  head.writeUInt8(keys.dbOf(entry), 0)
  head.writeUInt8(TYPES.indexOf(keys.typeOf(entry)), 1)
  head.writeDoubleLE(keys.expiryOf(entry), 2)
  head.writeUInt32LE(key.length, 10)
  head.writeUInt32LE(parts.length, 14)
  return Buffer.concat([head, key, ...parts.map(withLength)])
}

/** Write all entries into a file, with a digest behind them: beside, and renamed when it is whole. */
export const saveSnapshot = async (path: string, keys: Keyspace): Promise<void> => {
  const file = await open(`${path}.part`, 'w', 0o600)
  const digest = createHash('sha256')
  const write = async (bytes: Buffer): Promise<void> => {
    digest.update(bytes)
    await file.writeFile(bytes)
  }
  try {
    await write(MAGIC)
    let waiting: Buffer[] = []
    let waitingBytes = 0
    for (let entry = 0; entry < keys.numbers; entry++) {
      if (!keys.isLive(entry) || keys.isOver(entry)) continue
      const bytes = encoded(keys, entry)
      waiting.push(bytes)
      waitingBytes += bytes.length
      if (waitingBytes < CHUNK_BYTES) continue
      await write(Buffer.concat(waiting))
      waiting = []
      waitingBytes = 0
    }
    await write(Buffer.concat(waiting))
    await file.writeFile(digest.digest())
  } finally {
    await file.close()
  }
  await rename(`${path}.part`, path)
}

interface Saved {
  readonly db: number
  readonly type: (typeof TYPES)[number]
  readonly expiresAt: number
  readonly key: Buffer
  readonly parts: readonly Buffer[]
}

/** Entries of a file whose digest was right. */
function* savedEntries(bytes: Buffer): Iterable<Saved> {
  let at = MAGIC.length
  const take = (length: number): Buffer => bytes.subarray(at, (at += length))
  while (at < bytes.length) {
    const head = take(HEAD_BYTES)
    const key = take(head.readUInt32LE(10))
    const parts: Buffer[] = []
    for (let part = 0; part < head.readUInt32LE(14); part++) parts.push(take(take(4).readUInt32LE()))
    yield {
      db: head.readUInt8(0),
      type: TYPES[head.readUInt8(1)] ?? 'string',
      expiresAt: head.readDoubleLE(2),
      key,
      parts,
    }
  }
}

const put = (keys: Keyspace, { db, type, expiresAt, key, parts }: Saved): void => {
  if (type === 'string') return void keys.setString(db, key, parts[0] ?? Buffer.alloc(0), expiresAt)
  const entry = keys.addGroup(db, key, type)
  const words = parts.map((part) => part.toString('latin1'))
  let difference = 0
  for (let at = 0; at < words.length; at += type === 'hash' ? 2 : 1) {
    const [first = '', second = ''] = [words[at], words[at + 1]]
    if (type === 'hash') keys.hashOf(entry).set(first, second)
    else keys.setOf(entry).add(first)
    difference += type === 'hash' ? fieldBytes(first, second) : memberBytes(first)
  }
  keys.groupChanged(entry, difference)
  const still = keys.find(db, key)
  if (still !== NONE) keys.setExpiry(still, expiresAt)
}

/**
 * Take in what was saved at the last stop, once: after a crash it would be older than what content systems believe is there.
 * @param now epoch ms; what has run out stays away
 */
export const loadSnapshot = async (path: string, keys: Keyspace, now: number): Promise<SnapshotOutcome> => {
  const bytes = await readFile(path).catch(() => undefined)
  if (bytes === undefined) return { kind: 'none' }
  await rm(path, { force: true })
  const body = bytes.subarray(0, -DIGEST_BYTES)
  const isWhole =
    body.subarray(0, MAGIC.length).equals(MAGIC) &&
    createHash('sha256').update(body).digest().equals(bytes.subarray(-DIGEST_BYTES))
  if (!isWhole)
    return { kind: 'damaged', why: 'What the object cache had saved at its last stop is damaged, so it starts empty.' }
  let entries = 0
  for (const saved of savedEntries(body)) {
    if (saved.expiresAt !== 0 && saved.expiresAt <= now) continue
    put(keys, saved)
    entries++
  }
  return { kind: 'loaded', entries }
}
