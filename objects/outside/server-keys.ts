import type { Redis } from 'ioredis'
import type { OutsideEntry } from '../keyspace/keyspace.ts'
import { patternOf } from './outside-key.ts'

/** Keys that one step of a scan looks at, and that are removed with one command. */
const STEP = 500
/** What a key takes beside its name and value where the server does not say. */
const ABOUT_BYTES = 100

/** Go through all keys that begin so. @param onKeys may take its time */
export const scanNames = async (
  redis: Redis,
  prefix: string,
  onKeys: (names: Buffer[]) => Promise<unknown>,
): Promise<void> => {
  let cursor = '0'
  do {
    const [next, names] = await redis.scanBuffer(cursor, 'MATCH', patternOf(prefix), 'COUNT', STEP)
    cursor = next.toString()
    if (names.length > 0) await onKeys(names)
  } while (cursor !== '0')
}

/** @returns how many were there */
export const removeNames = async (redis: Redis, names: readonly Buffer[]): Promise<number> => {
  let removed = 0
  for (let at = 0; at < names.length; at += STEP) removed += await redis.unlink(...names.slice(at, at + STEP))
  return removed
}

/** @returns how many were there */
export const removeBeginning = async (redis: Redis, prefix: string): Promise<number> => {
  let removed = 0
  await scanNames(redis, prefix, async (names) => (removed += await removeNames(redis, names)))
  return removed
}

const typeOf = (answer: unknown): OutsideEntry['type'] | undefined =>
  answer === 'string' || answer === 'hash' || answer === 'set' ? answer : undefined

/** What is known of keys there. @param now epoch ms @returns for each of them; undefined: it is not there */
export const factsOf = async (
  redis: Redis,
  names: readonly Buffer[],
  now: number,
): Promise<(OutsideEntry | undefined)[]> => {
  const pipeline = redis.pipeline()
  for (const name of names) {
    pipeline.type(name)
    pipeline.call('MEMORY', 'USAGE', name)
    pipeline.pttl(name)
  }
  const answers = (await pipeline.exec()) ?? []
  return names.map((name, at): OutsideEntry | undefined => {
    const [type, bytes, ttl] = [0, 1, 2].map((part) => answers[3 * at + part])
    const kind = typeOf(type?.[1])
    // Its connection was lost in the middle.
    if (type === undefined || type[0] !== null) throw type?.[0] ?? new Error('no answer')
    if (kind === undefined) return undefined
    const ms = typeof ttl?.[1] === 'number' ? ttl[1] : -1
    const said = typeof bytes?.[1] === 'number' ? bytes[1] : undefined
    return { type: kind, bytes: said ?? name.length + ABOUT_BYTES, expiresAt: ms < 0 ? 0 : now + ms }
  })
}
