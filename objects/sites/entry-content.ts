import type { ObjectsContent, ObjectsContentQuery } from '../../core/contracts/objects.ts'
import { NONE } from '../keyspace/entry-table.ts'
import type { Keyspace } from '../keyspace/keyspace.ts'

/** Bytes of a part, and parts of an entry, that are shown at most. */
export const MOST_BYTES = 20_000
export const MOST_PARTS = 100

/** The name of a field, or null, and what it holds. */
export type NamedValue = readonly [string | null, Buffer]

const isText = (bytes: Buffer): boolean => {
  const text = bytes.toString('utf8')
  // Control characters other than tabs and ends of lines stand in no text.
  return !/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffd]/.test(text)
}

const partOf = (name: string | null, value: Buffer): ObjectsContent['parts'][number] => {
  const shown = value.subarray(0, MOST_BYTES)
  // A character may be cut in two at the end.
  const binary = !isText(shown.length < value.length ? shown.subarray(0, -4) : shown)
  return { name, text: binary ? shown.toString('hex') : shown.toString('utf8'), binary }
}

/** As it is shown. @param bytes memory that the entry takes @param values where there are more than are shown, some of them are enough */
export const contentOfValues = (
  type: ObjectsContent['type'],
  bytes: number,
  values: readonly NamedValue[],
): ObjectsContent => {
  const shown = values.slice(0, MOST_PARTS)
  return {
    type,
    bytes,
    parts: shown.map(([name, value]) => partOf(name, value)),
    cut: values.length > MOST_PARTS || shown.some(([, value]) => value.length > MOST_BYTES),
  }
}

const latin1 = (text: string): Buffer => Buffer.from(text, 'latin1')

/** What an entry holds. @returns undefined: there is none of that key */
export const contentOf = (keys: Keyspace, { key, db }: ObjectsContentQuery): ObjectsContent | undefined => {
  const entry = keys.find(db, latin1(key))
  if (entry === NONE) return undefined
  const type = keys.typeOf(entry)
  const values: NamedValue[] =
    type === 'string'
      ? [[null, keys.stringOf(entry)]]
      : type === 'hash'
        ? [...keys.hashOf(entry)].map(([field, value]) => [latin1(field).toString('utf8'), latin1(value)])
        : [...keys.setOf(entry)].map((member) => [null, latin1(member)])
  return contentOfValues(type, keys.sizeOf(entry), values)
}
