import { z } from 'zod'
import { PageResult } from './measurements.ts'
import { Setup } from './setup.ts'

export const LedgerDecision = z.enum(['open', 'kept', 'backed-out', 'none'])
export type LedgerDecision = z.infer<typeof LedgerDecision>

/** Something that was tried, measured, kept or stepped back from. */
export const LedgerEntry = z.object({
  id: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  kind: z.enum(['connected', 'baseline', 'tried', 'kept', 'stepped-back', 'measured']),
  title: z.string(),
  changes: z.array(z.string()),
  measurementId: z.string().nullable(),
  results: z.array(PageResult).describe('Without the runs; empty when nothing was measured'),
  decision: LedgerDecision,
  version: z.int().nullable().describe('The setup version it led to'),
})
export type LedgerEntry = z.infer<typeof LedgerEntry>

export const Trial = z.object({
  setup: Setup,
  revision: z.int(),
  changes: z.array(z.object({ remedy: z.string(), sentence: z.string() })),
  basedOn: z.int().describe('Version that visitors get'),
  openEntryId: z.string().nullable().describe('Ledger entry of the last retest of this trial, undecided'),
})
export type Trial = z.infer<typeof Trial>

export const SaveTrial = z.strictObject({ setup: Setup })
export const KeepTrial = z.strictObject({
  note: z.string().trim().max(1000).default(''),
  revision: z
    .int()
    .describe('Of the trial that was looked at, so that nobody publishes what another has changed since'),
})
export type KeepTrial = z.infer<typeof KeepTrial>
export const BackOut = z.strictObject({ revision: z.int() })
export const StepBack = z.strictObject({ number: z.int().min(1) })
