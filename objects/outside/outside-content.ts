import type { Redis } from 'ioredis'
import type { ObjectsContent, ObjectsContentQuery } from '../../core/contracts/objects.ts'
import { MOST_BYTES, MOST_PARTS, contentOfValues, type NamedValue } from '../sites/entry-content.ts'
import { nameOf } from './outside-key.ts'
import { factsOf } from './server-keys.ts'

/** Some of what a group holds: no more than is shown. */
const someOf = async (scan: (cursor: string) => Promise<[Buffer, Buffer[]]>, words: number): Promise<Buffer[]> => {
  const found: Buffer[] = []
  let cursor = '0'
  do {
    const [next, parts] = await scan(cursor)
    found.push(...parts)
    cursor = next.toString()
  } while (cursor !== '0' && found.length <= words)
  return found
}

/** What an entry holds in the other server. @returns undefined: there is none of that key */
export const readContent = async (
  redis: Redis,
  siteId: string,
  { key, db }: ObjectsContentQuery,
): Promise<ObjectsContent | undefined> => {
  const name = nameOf({ siteId, db, key: Buffer.from(key, 'latin1') })
  const [facts] = await factsOf(redis, [name], 0)
  if (facts === undefined) return undefined
  const { type, bytes } = facts
  const values: NamedValue[] = []
  if (type === 'string') values.push([null, (await redis.getrangeBuffer(name, 0, MOST_BYTES)) ?? Buffer.alloc(0)])
  else if (type === 'set') {
    const members = await someOf((cursor) => redis.sscanBuffer(name, cursor, 'COUNT', MOST_PARTS), MOST_PARTS)
    for (const member of members) values.push([null, member])
  } else {
    const pairs = await someOf((cursor) => redis.hscanBuffer(name, cursor, 'COUNT', MOST_PARTS), 2 * MOST_PARTS)
    for (let at = 0; at + 1 < pairs.length; at += 2)
      values.push([pairs[at]?.toString('utf8') ?? '', pairs[at + 1] ?? Buffer.alloc(0)])
  }
  return contentOfValues(type, bytes, values)
}
