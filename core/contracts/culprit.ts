import { z } from 'zod'
import { RemedyException } from './rewriting.ts'

/** The search for what breaks or slows a page: which files, elements, parts or remedies. */

/** Page loads a search may take at most; then it says how far it came. Each question about speed takes eight, where one about faults takes one. */
export const MOST_LOADS = { broken: 60, slower: 240 } as const

/** Something that can be left out of a setup. */
export const Suspect = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('remedy'), remedy: z.string() }),
  z.object({ kind: z.literal('part'), remedy: z.string(), option: z.string() }),
  z.object({
    kind: z.literal('exception'),
    remedy: z.string(),
    by: RemedyException.shape.by,
    value: z.string(),
  }),
])
export type Suspect = z.infer<typeof Suspect>

export const CulpritOrder = z.strictObject({
  pageId: z.string(),
  visitorId: z.string(),
  why: z.enum(['broken', 'slower']).default('broken').describe('What is the matter with the page in trial'),
})
export type CulpritOrder = z.infer<typeof CulpritOrder>

export const CulpritState = z.object({
  /** Whether the page was bad with these left out, by their names. */
  tests: z.array(z.object({ leftOut: z.array(z.string()), bad: z.boolean() })),
  reason: z.string().default('').describe('What is the matter, once it was seen'),
  firstLossMs: z.number().nullable().default(null).describe('How much slower the page was with everything applied'),
  looks: z.int().describe('Page loads so far'),
  /** Found so far: left out already. */
  found: z.array(Suspect),
  outcome: z
    .object({
      kind: z.enum(['found', 'whole', 'not-ours', 'intact', 'gave-up']),
      sentence: z.string(),
      /** What was the matter, in the words of the safety check. */
      reason: z.string(),
    })
    .nullable(),
})
export type CulpritState = z.infer<typeof CulpritState>

export const CulpritSearch = z.object({
  id: z.string(),
  siteId: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  order: CulpritOrder,
  path: z.string(),
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  error: z.string().nullable(),
  looks: z.int(),
  found: z.array(z.object({ suspect: Suspect, sentence: z.string() })),
  outcome: CulpritState.shape.outcome,
})
export type CulpritSearch = z.infer<typeof CulpritSearch>
