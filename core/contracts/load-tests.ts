import { z } from 'zod'
import { SignIn } from './privacy.ts'

/** Whom visitors are sent to: the origin, the delivery next to it, or an edge by its id. */
export const LoadTarget = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('origin') }),
  z.strictObject({ kind: z.literal('live') }),
  z.strictObject({ kind: z.literal('edge'), edgeId: z.string().max(60) }),
])
export type LoadTarget = z.infer<typeof LoadTarget>

/** What the owner allows. */
export const LoadBounds = z.strictObject({
  mostPerSecond: z.number().min(1).max(1000).default(50).describe('Visitors a second, at most'),
  stepS: z.int().min(3).max(60).default(6).describe('Seconds for which each rate is held'),
  waitMs: z.int().min(50).max(30_000).default(2000).describe('Ends where one page in twenty takes longer than this'),
  errorPercent: z.number().min(0.1).max(50).default(2).describe('Ends where more of the pages than this fail'),
})
export type LoadBounds = z.infer<typeof LoadBounds>

export const LoadTestOrder = z.strictObject({
  targets: z.array(LoadTarget).min(1, 'Choose whom to test.').max(6),
  bounds: LoadBounds,
  signedIn: z
    .strictObject({
      path: z
        .string()
        .trim()
        .max(2000)
        .regex(/^\/(?!\/)\S*$/, 'The sign-in page is named by its path, beginning with one "/".'),
      how: SignIn,
    })
    .nullable()
    .default(null)
    .describe('All visitors come as this one; nothing of it is written down. Null: signed out'),
  agreed: z.literal(true, 'Confirm that this site is yours to test: its visitors will feel it.'),
})
export type LoadTestOrder = z.infer<typeof LoadTestOrder>

/** What came of one rate. */
export const LoadStep = z.object({
  perSecond: z.number().describe('Visitors a second that came'),
  seconds: z.number(),
  visitors: z.int(),
  answered: z.int().describe('Pages that came in full, without an error'),
  answeredPerSecond: z.number().describe('While visitors came'),
  /** Why pages did not come. */
  failed: z.object({
    refused: z.int().describe('No connection, or one that broke off'),
    timedOut: z.int(),
    limited: z.int().describe('Status 429'),
    serverErrors: z.int().describe('Status 500 and above'),
  }),
  medianMs: z.number().nullable().describe('From the moment at which the visitor came until the page had come'),
  p95Ms: z.number().nullable(),
  mostOpen: z.int().describe('Visitors that waited at the same time'),
  fromStore: z.int().describe('Answers that a store of Zest Lamp gave'),
  fromStoreP95Ms: z.number().nullable(),
  lateMs: z.number().describe('95th percentile of how late the generator itself was'),
  idleShare: z.number().min(0).max(1).describe('Of the processors of the machine that sends'),
})
export type LoadStep = z.infer<typeof LoadStep>

/** Why no higher rate was tried. */
export const LoadEnd = z.enum(['bound', 'wait', 'errors', 'generator'])
export type LoadEnd = z.infer<typeof LoadEnd>

/** What ran out first. */
export const RanOut = z.enum([
  'nothing',
  'generator',
  'processor',
  'connections',
  'limit',
  'server-errors',
  'origin',
  'workers',
  'unknown',
])
export type RanOut = z.infer<typeof RanOut>

export const LoadCurve = z.object({
  target: LoadTarget,
  name: z.string(),
  steps: z.array(LoadStep),
  result: z
    .object({
      end: LoadEnd,
      borne: z.number().nullable().describe('Highest rate within the bounds; null: not even the lowest'),
      growsFrom: z.number().nullable().describe('Lowest rate at which the median wait is twice that of the first step'),
      ranOut: RanOut,
      workers: z.number().nullable().describe('Pages that were built at the same time, where that is what ran out'),
    })
    .nullable()
    .describe('null: not finished'),
})
export type LoadCurve = z.infer<typeof LoadCurve>

export const LoadTest = z.object({
  id: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  bounds: LoadBounds,
  signedIn: z.boolean(),
  pages: z.array(z.object({ target: z.string(), share: z.number() })).describe('What visitors ask for'),
  mix: z.enum(['counted', 'sample']).describe('Whether shares are those of counted visits, or equal ones'),
  sameMachine: z.boolean().describe('Whether the origin shares the processors with the visitors of the test'),
  curves: z.array(LoadCurve),
})
export type LoadTest = z.infer<typeof LoadTest>
