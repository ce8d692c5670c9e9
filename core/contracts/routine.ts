import { z } from 'zod'

const time = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'Give a time of day as 03:30.')

/** Bounds of one visitor; null: none. */
export const VisitorLimits = z.strictObject({
  visitorId: z.string(),
  lcpSeconds: z.number().min(0.1).max(120).nullable().default(null).describe('Time to the main content'),
  sentKilobytes: z.number().min(1).max(1_000_000).nullable().default(null).describe('1 KB = 1000 bytes'),
  requests: z.int().min(1).max(10_000).nullable().default(null),
})
export type VisitorLimits = z.infer<typeof VisitorLimits>

/** Retests that nobody has to start, and what they are held against. */
export const Routine = z.strictObject({
  everyHours: z
    .union([z.literal(6), z.literal(12), z.literal(24), z.literal(168)])
    .nullable()
    .default(null)
    .describe('null: no retests'),
  quietFrom: time.default('02:00').describe('Retests begin between these times of day, UTC'),
  quietUntil: time.default('05:00'),
  limits: z.array(VisitorLimits).max(20).default([]),
  webhook: z
    .url({ protocol: /^https?$/, error: 'Give an address that begins with https:// or http://.' })
    .max(2000)
    .nullable()
    .default(null)
    .describe('Messages are sent there as JSON as well'),
})
export type Routine = z.infer<typeof Routine>

export const emptyRoutine = (): Routine => Routine.parse({})

/** Something the owner should know. */
export const Message = z.object({
  id: z.string(),
  siteId: z.string(),
  at: z.iso.datetime(),
  kind: z.enum([
    'limit-crossed',
    'slower',
    'retest-failed',
    'webhook-failed',
    'certificate-failed',
    'certificate-record',
    'dns-leads-here',
  ]),
  sentence: z.string(),
  measurementId: z.string().nullable(),
  read: z.boolean(),
})
export type Message = z.infer<typeof Message>
