import { z } from 'zod'
import { PredictedGain } from './findings.ts'
import { PageResult } from './measurements.ts'
import { SafetyResult } from './safety.ts'
import { Suspect } from './culprit.ts'

/** Remedies tried one after another, unattended. */

export const GuidedOrder = z.strictObject({
  reach: z.enum(['delivery', 'files', 'page']).describe('How far remedies may go'),
  visitorIds: z.array(z.string()).min(1, 'Choose at least one visitor.').max(4),
  pageIds: z.array(z.string()).min(1, 'Choose at least one page.').max(10),
  minutes: z
    .int()
    .min(2, 'Allow two minutes at least.')
    .max(24 * 60)
    .default(60),
  journeyIds: z.array(z.string()).max(20).default([]),
})
export type GuidedOrder = z.infer<typeof GuidedOrder>

export const GuidedDecision = z.enum(['kept', 'no-difference', 'slower', 'broken', 'failed'])
export type GuidedDecision = z.infer<typeof GuidedDecision>

/** One thing that was tried. */
export const GuidedStep = z.object({
  /** Remedies switched on in this step: one, or several together. */
  remedies: z.array(z.string()),
  predicted: z.array(PredictedGain),
  measurementId: z.string().nullable(),
  safetyCheckId: z.string().nullable(),
  safety: SafetyResult.nullable(),
  results: z.array(PageResult),
  exceptions: z.array(Suspect),
  decision: GuidedDecision.nullable().describe('null while it is under way'),
  sentence: z.string(),
  tookMs: z.number(),
})
export type GuidedStep = z.infer<typeof GuidedStep>

export const GuidedState = z.object({
  steps: z.array(GuidedStep),
  /** Digest of the setup it goes on from; another one in trial means that somebody changed it meanwhile. */
  bestDigest: z.string(),
  spentMs: z.number(),
  paused: z.boolean(),
  final: z
    .object({
      measurementId: z.string().nullable(),
      safetyCheckId: z.string().nullable(),
      safety: SafetyResult.nullable(),
      results: z.array(PageResult),
    })
    .nullable(),
  untried: z.array(z.string()).default([]).describe('Remedies there was no time for'),
  sentence: z.string().describe('How it stands, in a sentence'),
})
export type GuidedState = z.infer<typeof GuidedState>

export const GuidedRun = z.object({
  id: z.string(),
  siteId: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  order: GuidedOrder,
  state: z.enum(['queued', 'running', 'paused', 'done', 'failed', 'cancelled']),
  error: z.string().nullable(),
  progress: GuidedState,
})
export type GuidedRun = z.infer<typeof GuidedRun>
