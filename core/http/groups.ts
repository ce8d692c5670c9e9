import { parseList } from 'structured-headers'
import { fieldValue, type Fields } from './fields.ts'

/** RFC 9875 §2.1: an implementation takes at least 32 groups of 32 characters each; more are cut off, not refused. */
const MOST_GROUPS = 64
const LONGEST_GROUP = 128

const listOfStrings = (value: string | undefined): string[] => {
  if (value === undefined) return []
  try {
    // Members that are no strings, and parameters, are ignored (RFC 9875 §2, §3).
    return parseList(value)
      .map(([item]) => item)
      .filter((item): item is string => typeof item === 'string' && item.length <= LONGEST_GROUP)
      .slice(0, MOST_GROUPS)
  } catch {
    return []
  }
}

/** Groups that a response belongs to (RFC 9875 §2). Opaque, compared as they are; a malformed field names none. */
export const cacheGroups = (fields: Fields): string[] => [...new Set(listOfStrings(fieldValue(fields, 'cache-groups')))]

/** Groups that the answer to an unsafe request invalidates (RFC 9875 §3). */
export const invalidatedGroups = (fields: Fields): string[] => [
  ...new Set(listOfStrings(fieldValue(fields, 'cache-group-invalidation'))),
]
