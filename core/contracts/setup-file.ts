import { z } from 'zod'
import { Setup } from './setup.ts'

/** A setup as a file, to be kept, looked at, and carried to another site. */

/** The newest form; a file of a newer one was written by a newer Zest Lamp. */
export const SETUP_FILE_VERSION = 2

export const SetupFile = z.strictObject({
  kind: z.literal('zest-lamp-setup'),
  formatVersion: z.literal(SETUP_FILE_VERSION),
  exportedAt: z.iso.datetime(),
  from: z
    .strictObject({
      site: z.string().max(200),
      hosts: z.array(z.string().max(260)).max(10).describe('Names the site goes by: origin, live, trial'),
      version: z.int().nullable().describe('Number it had there; null: it was in trial'),
    })
    .nullable(),
  note: z.string().max(1000).default(''),
  setup: Setup,
})
export type SetupFile = z.infer<typeof SetupFile>

/** Something in a setup that names what another site does not have. */
export const Unfit = z.object({
  where: z.string().describe('The setting, in words'),
  value: z.string(),
  what: z.enum(['left-out', 'kept']).describe('Whether it was taken out, or is harmless and stays'),
  sentence: z.string(),
})
export type Unfit = z.infer<typeof Unfit>

export const SetupImport = z.strictObject({
  file: z.unknown().describe('A setup file, as it was exported'),
  apply: z.boolean().default(false).describe('Put it into trial; else it is only looked at'),
})

/** What an import would change, or has changed, in trial. */
export const ImportedSetup = z.object({
  from: z.string(),
  changes: z.array(z.string()).describe('Against the trial before'),
  adapted: z.array(z.string()).describe('Host names that became those of this site'),
  unfit: z.array(Unfit),
  migrated: z.array(z.string()).describe('What was brought to the present form'),
  applied: z.boolean(),
})
export type ImportedSetup = z.infer<typeof ImportedSetup>
