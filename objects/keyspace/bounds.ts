/** What bounds the objects of a site. */
export interface KeyspaceBounds {
  /** Memory, bytes: keys, values, and what it takes to find them. */
  readonly bytes: number
  readonly largestValueBytes: number
  /** Strings of so many bytes or more are packed; undefined: none is. */
  readonly packFromBytes?: number | undefined
  /** Longest time an entry is kept, ms; undefined: as long as its client says. */
  readonly lifetimeMs: number | undefined
}

/** A value is larger than the site may store. */
export class ValueTooLarge extends Error {}

/** A value that is kept by itself, and the parts of a group, take about this much more than their bytes (measured: `bench/objects-memory.ts`). */
export const LARGE_BYTES = 200
export const GROUP_BYTES = 400
const FIELD_BYTES = 120
const MEMBER_BYTES = 80
/** Memory of one field with its value, or of one member, bytes. */
export const fieldBytes = (field: string, value: string): number => FIELD_BYTES + field.length + value.length
export const memberBytes = (member: string): number => MEMBER_BYTES + member.length
