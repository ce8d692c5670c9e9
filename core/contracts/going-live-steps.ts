import { z } from 'zod'
import { DnsRecord, DnsTarget } from './going-live.ts'

/** Steps of going live, in order. */
export const GoingLiveStepId = z.enum(['ready', 'certificate', 'dns', 'proof', 'back-door', 'way-back'])
export type GoingLiveStepId = z.infer<typeof GoingLiveStepId>

/** Where a step stands, by what was found or what the owner says. */
export const GoingLiveStep = z.object({
  id: GoingLiveStepId,
  state: z.enum(['done', 'open', 'problem']),
  sentence: z.string(),
  evidence: z.array(z.string()).describe('What was found, a line each'),
})
export type GoingLiveStep = z.infer<typeof GoingLiveStep>

/** The zone as it was before anything changed. */
export const ZoneBefore = z.object({ zone: z.string(), records: z.array(DnsRecord), savedAt: z.string() })
export type ZoneBefore = z.infer<typeof ZoneBefore>

export const GoingLive = z.object({
  target: DnsTarget.nullable().describe('Where the site is to lead; null: not said yet'),
  before: ZoneBefore.nullable(),
  closedByHand: z.boolean().describe('The owner says that the origin answers nobody else'),
  checkedAt: z.string().nullable(),
  steps: z.array(GoingLiveStep),
})
export type GoingLive = z.infer<typeof GoingLive>

export const GoingLiveMark = z.strictObject({
  closedByHand: z.boolean(),
})
