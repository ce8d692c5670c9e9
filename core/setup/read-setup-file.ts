import type { z } from 'zod'
import { withRemediesOfToday } from './earlier-remedies.ts'
import { Setup } from '../contracts/setup.ts'
import { SETUP_FILE_VERSION, SetupFile } from '../contracts/setup-file.ts'

/** A file is no setup; the sentence says what to do. */
export class NotASetup extends Error {}

export interface ReadSetup {
  readonly file: SetupFile
  /** What was brought to the present form, in sentences. */
  readonly migrated: readonly string[]
}

/** The first form: the bare setup, as the API gives it with a version. */
const isBare = (value: object): boolean => 'remedies' in value && !('kind' in value)

const fromBare = (value: object, now: string): unknown => ({
  kind: 'zest-lamp-setup',
  formatVersion: SETUP_FILE_VERSION,
  exportedAt: now,
  from: null,
  note: '',
  setup: value,
})

/** Where in the file, in words a person can find again. */
const placeOf = (path: readonly PropertyKey[]): string =>
  path.length === 0 ? 'the file' : path.map(String).join(' › ')

const sentenceFor = (issue: z.core.$ZodIssue): string =>
  issue.code === 'unrecognized_keys'
    ? `${placeOf(issue.path)}: there is no setting ${issue.keys.map((key) => `“${key}”`).join(', ')}`
    : `${placeOf(issue.path)}: ${issue.message}`

const MOST_SENTENCES = 6

/**
 * Read a setup file of this or an earlier form.
 * @param now instant, for files that do not say when they were written
 * @throws NotASetup for anything else, newer forms and unknown settings included; nothing is guessed
 */
export const readSetupFile = (value: unknown, now: string): ReadSetup => {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    throw new NotASetup('This is not a setup file. Export one from the Ledger of a site, and choose that file.')
  const migrated: string[] = []
  let current: unknown = value
  if (isBare(value)) {
    current = fromBare(value, now)
    migrated.push('It was a setup in the first file format, without its source.')
  } else if (!('kind' in value) || value.kind !== 'zest-lamp-setup')
    throw new NotASetup(
      'This is not a setup file: it does not begin with "kind": "zest-lamp-setup". Export one from the Ledger of a site.',
    )
  else if (
    'formatVersion' in value &&
    typeof value.formatVersion === 'number' &&
    value.formatVersion > SETUP_FILE_VERSION
  )
    throw new NotASetup(
      `This file has format ${value.formatVersion}, written by a newer Zest Lamp; this one reads formats up to ${SETUP_FILE_VERSION}. Update Zest Lamp here first.`,
    )
  else if ('formatVersion' in value && value.formatVersion === 1) {
    current = { from: null, note: '', exportedAt: now, ...value, formatVersion: SETUP_FILE_VERSION }
    migrated.push('It was in file format 1, which does not name its source.')
  }
  const parsed = SetupFile.safeParse(withRemediesOfToday(current))
  if (parsed.success) return { file: parsed.data, migrated }
  const all = parsed.error.issues.map(sentenceFor)
  const shown = all.slice(0, MOST_SENTENCES).join('; ')
  const rest = all.length > MOST_SENTENCES ? `; and ${all.length - MOST_SENTENCES} more` : ''
  throw new NotASetup(`This setup is not valid: ${shown}${rest}. Nothing was imported.`)
}

/** The setup as a file. */
export const writeSetupFile = (
  setup: Setup,
  from: NonNullable<SetupFile['from']>,
  note: string,
  now: string,
): SetupFile => ({
  kind: 'zest-lamp-setup',
  formatVersion: SETUP_FILE_VERSION,
  exportedAt: now,
  from,
  note,
  setup: Setup.parse(setup),
})
