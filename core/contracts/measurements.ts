import { z } from 'zod'
import { Frame, LcpPhases, RequestRecord, RunDetails, RunMetrics, Side, Visit, VisitorProfile } from './measuring.ts'

/** Common practice: one run is noise; five are where medians settle. */
export const DEFAULT_RUNS = 5
/** Most pairs of a comparison; it stops at six already when those are clear (see core/stats/sequential.ts). */
export const DEFAULT_PAIRS = 14

export const MeasurementOrder = z
  .strictObject({
    sides: z
      .array(Side)
      .min(1, 'Choose what to measure.')
      .max(4, 'Compare four at most.')
      .describe('One to measure it alone, several to compare them in turn'),
    pageIds: z.array(z.string()).min(1, 'Choose at least one page.').max(50),
    visitorIds: z.array(z.string()).min(1, 'Choose at least one visitor.').max(10),
    visit: Visit.default('first'),
    runs: z.int().min(1).max(50).default(DEFAULT_RUNS).describe('Most loads per page, visitor and side'),
    stop: z
      .enum(['when-clear', 'at-the-end'])
      .default('when-clear')
      .describe('Whether a comparison ends early once it is clear'),
    missS: z
      .int()
      .min(1)
      .optional()
      .describe('How long reads of the object cache may miss in all, seconds; where that is measured'),
  })
  .refine(({ sides }) => new Set(sides).size === sides.length, {
    path: ['sides'],
    message: 'Name each side once.',
  })
  .refine(({ sides }) => sides.includes('again') === false || sides.length === 2, {
    path: ['sides'],
    message: 'To see how far equal loads differ, choose one side and the same once more.',
  })
export type MeasurementOrder = z.infer<typeof MeasurementOrder>

/** What may be ordered: everything but what is only read in. */
export const NewMeasurement = MeasurementOrder.refine(({ sides }) => !sides.includes('archive'), {
  path: ['sides'],
  message: 'An archive is read in, not measured.',
})
  .refine(({ sides }) => !sides.includes('candidate'), {
    path: ['sides'],
    message: 'A candidate is served only while a search, a guided run or an entry of the ledger is measured.',
  })
  .refine(({ sides, missS }) => !sides.includes('without-objects') && missS === undefined, {
    path: ['sides'],
    message: 'What the object cache is worth is ordered with the owner’s consent, under the object cache.',
  })

export const Interval = z.object({
  shift: z.number().describe('Hodges–Lehmann estimate; positive: the later side is quicker'),
  low: z.number(),
  high: z.number(),
  confidence: z.number(),
  pairs: z.int(),
})
export type Interval = z.infer<typeof Interval>

export const METRICS = ['ttfbMs', 'fcpMs', 'lcpMs', 'tbtMs', 'loadedMs'] as const
export const MetricName = z.enum(METRICS)
export type MetricName = z.infer<typeof MetricName>

export const VerdictKind = z.enum(['faster', 'no-difference', 'slower', 'too-few', 'broken'])
export type VerdictKind = z.infer<typeof VerdictKind>

/** Medians of one side of one page for one visitor, with the value of each run beside. */
export const SideSummary = z.object({
  side: Side,
  runs: z.int(),
  failed: z.int(),
  failure: z.string().nullable().describe('Why the first failed run failed'),
  medians: z.object({
    ttfbMs: z.number().nullable(),
    fcpMs: z.number().nullable(),
    lcpMs: z.number().nullable(),
    tbtMs: z.number().nullable(),
    loadedMs: z.number().nullable(),
    cls: z.number().nullable(),
    requests: z.number().nullable(),
    sentBytes: z.number().nullable(),
    failedRequests: z.number().nullable(),
    consoleErrors: z.number().nullable(),
  }),
  values: z.object({ fcpMs: z.array(z.number()), lcpMs: z.array(z.number()), loadedMs: z.array(z.number()) }),
  lcpPhases: LcpPhases.nullable().default(null).describe('Of the run whose main content took the median time'),
})
export type SideSummary = z.infer<typeof SideSummary>

export const PageVerdict = z.object({
  from: Side,
  to: Side,
  kind: VerdictKind.describe('Of the time to the main content (LCP)'),
  sentence: z.string(),
  why: z.string().nullable().describe('What is broken'),
  gains: z.partialRecord(MetricName, Interval),
  ended: z
    .enum(['clear', 'equal', 'maximum'])
    .nullable()
    .default(null)
    .describe('Why no more pairs were loaded; null while they are'),
})
export type PageVerdict = z.infer<typeof PageVerdict>

/** One page as one visitor: what every verdict is about, never averaged away. */
export const PageResult = z.object({
  pageId: z.string(),
  path: z.string(),
  kind: z.string(),
  visitorId: z.string(),
  visitorName: z.string(),
  floorMs: z.number().nullable().describe('Least possible time to the main content on this link'),
  sides: z.array(SideSummary),
  verdict: PageVerdict.nullable().describe('Between the two latest sides; null when only one was measured'),
  otherVerdicts: z.array(PageVerdict).default([]).describe('Of further sides against the latest'),
  noise: z
    .object({
      lcpMs: z.number().describe('How far two equal loads differ, as a median'),
      from: z.enum(['same-against-same', 'repeats']).describe('A measurement of its own, or the repeats of this one'),
    })
    .nullable()
    .default(null),
})
export type PageResult = z.infer<typeof PageResult>

/** Where figures come from: the lab, an archive of someone's browser, or the load model without a browser. */
export const MeasurementSource = z.enum(['lab', 'archive', 'predicted'])
export type MeasurementSource = z.infer<typeof MeasurementSource>

export const MeasurementState = z.enum(['queued', 'running', 'done', 'failed', 'cancelled'])

export const MeasurementHead = z.object({
  id: z.string(),
  siteId: z.string(),
  jobId: z.string(),
  state: MeasurementState,
  order: MeasurementOrder,
  liveVersion: z.int(),
  changes: z.array(z.string()).describe('What trial changed against live when it was measured'),
  createdAt: z.iso.datetime(),
  finishedAt: z.iso.datetime().nullable(),
  by: z.string(),
  error: z.string().nullable(),
  source: MeasurementSource,
  notReady: z
    .array(z.string())
    .default([])
    .describe('Pages that were measured before all that remedies make of them was ready'),
})
export type MeasurementHead = z.infer<typeof MeasurementHead>

/** What a load is for: to fill caches, to count, or to look at with all instruments, which costs time. */
export const RunPurpose = z.enum(['fill', 'count', 'look'])
export type RunPurpose = z.infer<typeof RunPurpose>

export const RunHead = z.object({
  id: z.string(),
  pageId: z.string(),
  path: z.string(),
  visitorId: z.string(),
  side: Side,
  visit: Visit,
  pair: z.int().describe('Runs of one pair were made one right after the other'),
  purpose: RunPurpose,
  at: z.iso.datetime(),
  metrics: RunMetrics.nullable(),
  failure: z.string().nullable(),
})
export type RunHead = z.infer<typeof RunHead>

export const Measurement = MeasurementHead.extend({
  results: z.array(PageResult),
  runs: z.array(RunHead),
})
export type Measurement = z.infer<typeof Measurement>

export const Run = RunHead.extend({
  visitor: VisitorProfile,
  floorMs: z.number().nullable(),
  requests: z.array(RequestRecord),
  details: RunDetails.nullable().describe('Only of loads that were looked at with all instruments'),
  frames: z.array(Frame),
})
export type Run = z.infer<typeof Run>

/** What one side of a page was measured at last. */
export const Standing = z.object({
  measurementId: z.string(),
  at: z.iso.datetime(),
  medians: SideSummary.shape.medians,
})
export type Standing = z.infer<typeof Standing>

/** Where a page stands for a visitor: the newest figures of the origin and of the setups that are live and in trial now. */
export const LatestResult = z.object({
  pageId: z.string(),
  path: z.string(),
  kind: z.string(),
  visitorId: z.string(),
  visitorName: z.string(),
  floorMs: z.number().nullable(),
  origin: Standing.nullable(),
  live: Standing.nullable(),
  trial: Standing.nullable().describe('null also while trial is the same as live'),
})
export type LatestResult = z.infer<typeof LatestResult>

/** One page as one visitor on one occasion. */
export const TrendPoint = z.object({
  measurementId: z.string(),
  at: z.iso.datetime(),
  side: Side,
  liveVersion: z.int().describe('Version that visitors got then'),
  medians: SideSummary.shape.medians,
  lcpMs: z.array(z.number()).describe('Each run'),
})
export type TrendPoint = z.infer<typeof TrendPoint>

/** An archive from anybody’s browser: HTTP Archive 1.2. */
export const ArchiveUpload = z.strictObject({ har: z.unknown() })
