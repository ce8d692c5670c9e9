import { z } from 'zod'
import { Frame } from './measuring.ts'
import { PageResult } from './measurements.ts'
import { SafetyResult } from './safety.ts'

/** What was done for a site and what it was worth, for the one who pays for it. */

export const ReportPage = z.object({
  path: z.string(),
  visitorName: z.string(),
  sentence: z.string(),
  before: z.object({
    lcpMs: z.number(),
    loadedMs: z.number().nullable(),
    requests: z.number().nullable(),
    sentBytes: z.number().nullable(),
  }),
  after: z.object({
    lcpMs: z.number(),
    loadedMs: z.number().nullable(),
    requests: z.number().nullable(),
    sentBytes: z.number().nullable(),
  }),
  floorMs: z.number().nullable(),
  beforeAt: z.iso.datetime(),
  afterAt: z.iso.datetime(),
  frames: z
    .object({ before: z.array(Frame), after: z.array(Frame) })
    .nullable()
    .describe('First views at the same instants; null when they were forgotten'),
})
export type ReportPage = z.infer<typeof ReportPage>

export const ReportChange = z.object({
  what: z.string(),
  worth: z.string().describe('In words, with the interval; "not measured by itself" where it was not'),
  results: z.array(PageResult),
  exceptions: z.array(z.string()),
})

export const Report = z.object({
  kind: z.literal('zest-lamp-report'),
  formatVersion: z.literal(1),
  site: z.object({ name: z.string(), address: z.string() }),
  madeAt: z.iso.datetime(),
  state: z.enum(['live', 'trial']).describe('What "after" is: what visitors get, or what they would get'),
  version: z.int().nullable(),
  summary: z.array(z.string()).describe('In plain words'),
  pages: z.array(ReportPage),
  changes: z.array(ReportChange),
  safety: z.object({ result: SafetyResult, sentence: z.string(), at: z.iso.datetime() }).nullable(),
  remains: z.array(z.string()).describe('What is still slow, and what no remedy can fix'),
})
export type Report = z.infer<typeof Report>
