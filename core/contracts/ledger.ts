import { z } from 'zod'
import { PredictedGain } from './findings.ts'
import { PageResult } from './measurements.ts'
import { RemedyException } from './rewriting.ts'
import { SafetyResult } from './safety.ts'
import { Setup } from './setup.ts'

export const LedgerDecision = z.enum(['open', 'kept', 'kept-in-trial', 'backed-out', 'none'])
export type LedgerDecision = z.infer<typeof LedgerDecision>

/** Something that was tried, measured, kept or stepped back from. */
export const LedgerEntry = z.object({
  id: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  kind: z.enum([
    'connected',
    'baseline',
    'tried',
    'kept',
    'stepped-back',
    'measured',
    'searched',
    'guided',
    'imported',
    'server-rules',
    'upkeep',
  ]),
  title: z.string(),
  changes: z.array(z.string()),
  measurementId: z.string().nullable(),
  results: z.array(PageResult).describe('Without the runs; empty when nothing was measured'),
  decision: LedgerDecision,
  version: z.int().nullable().describe('The setup version it led to'),
  predicted: z.array(PredictedGain).default([]).describe('What was predicted before it was measured'),
  safety: z
    .object({ checkId: z.string(), result: SafetyResult, sentence: z.string() })
    .nullable()
    .default(null)
    .describe('Whether the pages still looked and worked the same'),
  exceptions: z
    .array(z.object({ remedy: z.string(), exception: RemedyException }))
    .default([])
    .describe('What a culprit search left out'),
  guidedRunId: z.string().nullable().default(null),
  measurable: z.boolean().default(false).describe('Whether its setup is known, so that it can be measured again'),
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

export const SaveTrial = z.strictObject({
  setup: Setup,
  revision: z
    .int()
    .optional()
    .describe(
      'Of the trial that it was made from, so that nobody undoes what another has changed since; left out: whatever it is now',
    ),
})
export const KeepTrial = z.strictObject({
  note: z.string().trim().max(1000).default(''),
  revision: z
    .int()
    .describe('Of the trial that was looked at, so that nobody publishes what another has changed since'),
})
export type KeepTrial = z.infer<typeof KeepTrial>
export const BackOut = z.strictObject({ revision: z.int() })
export const StepBack = z.strictObject({ number: z.int().min(1) })
