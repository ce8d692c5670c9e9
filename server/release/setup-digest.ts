import { createHash } from 'node:crypto'
import { isDeepStrictEqual } from 'node:util'
import { emptySetup, Setup } from '../../core/contracts/setup.ts'

const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** What in a value is not as it is when nobody has set anything, in the order of the schema. */
const setOnly = (value: Record<string, unknown>, unset: Record<string, unknown>): [name: string, value: unknown][] =>
  Object.entries(value)
    .filter(([name, one]) => !isDeepStrictEqual(one, unset[name]))
    .map(([name, one]) => {
      const before = unset[name]
      return [name, isRecord(one) && isRecord(before) ? setOnly(one, before) : one]
    })

/**
 * The same for setups that do the same. It stands for what differs from an empty setup: a setting that a later version adds, and that
 * nobody has touched, leaves the digests of earlier measurements as they were.
 */
export const setupDigest = (setup: Setup): string =>
  createHash('sha256')
    .update(JSON.stringify(setOnly(Setup.parse(setup), emptySetup())))
    .digest('base64url')
