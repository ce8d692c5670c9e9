import { z } from 'zod'
import { Side } from './measuring.ts'

/** Predicted times of a page for a visitor, ms. */
export const PredictedTimes = z.object({ fcpMs: z.number(), lcpMs: z.number(), loadedMs: z.number() })
export type PredictedTimes = z.infer<typeof PredictedTimes>

/** What a change is predicted to be worth to one visitor of one page; positive: sooner. */
export const PredictedGain = z.object({
  pageId: z.string(),
  visitorId: z.string(),
  gain: PredictedTimes,
})
export type PredictedGain = z.infer<typeof PredictedGain>

/** A file that shows what is the matter. */
export const EvidenceItem = z.object({
  item: z.string(),
  bytes: z.number().min(0),
  /** Bytes that would not be sent, or 0. */
  savedBytes: z.number().min(0),
  note: z.string(),
})
export type EvidenceItem = z.infer<typeof EvidenceItem>

/** What a site shows for or against a remedy. */
export const RemedyEvidence = z.object({
  remedy: z.string(),
  /** In a sentence; why it does not apply, where it does not. */
  sentence: z.string(),
  applies: z.boolean(),
  items: z.array(EvidenceItem),
  gains: z.array(PredictedGain),
})
export type RemedyEvidence = z.infer<typeof RemedyEvidence>

/** Something that makes the site slow. */
export const Finding = z.object({
  id: z.string(),
  title: z.string(),
  evidence: z.string(),
  remedies: z.array(z.string()),
  gains: z.array(PredictedGain),
})
export type Finding = z.infer<typeof Finding>

/** What no remedy here can fix, with its share. */
export const Limit = z.object({
  title: z.string(),
  sentence: z.string(),
  share: z.number().min(0).max(1).describe('Of the time to the main content that is left with all remedies'),
})
export type Limit = z.infer<typeof Limit>

export const Findings = z.object({
  /** Pages and visitors that were looked at closely, and when. */
  looks: z.array(
    z.object({
      pageId: z.string(),
      path: z.string(),
      visitorId: z.string(),
      at: z.string(),
      side: Side,
      now: PredictedTimes.describe('Medians of the loads measured; predictions start from these'),
      detailedLcpMs: z
        .number()
        .describe('Main content by the load model of the one detailed load, ms: predicted shares come from it'),
      withAll: PredictedTimes,
      withRules: PredictedTimes.describe(
        'With what rules of the owner’s own web server can do: compression and lifetimes',
      ),
      withStoredPages: PredictedTimes.describe('The same, and pages handed out from its disk'),
    }),
  ),
  findings: z.array(Finding),
  remedies: z.array(RemedyEvidence),
  limits: z.array(Limit),
})
export type Findings = z.infer<typeof Findings>
