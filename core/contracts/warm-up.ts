import { z } from 'zod'

/** A site address as warm-up knows it: path and query, below the site's own host. */
export const WarmPath = z
  .string()
  .trim()
  .max(4000)
  .regex(/^\/(?!\/)/, 'An address begins with one "/".')

/** Control asks delivery to have one address ready for visitors. */
export const WarmOrder = z.object({
  siteId: z.string(),
  target: WarmPath,
  as: z.enum(['page', 'image', 'file']).default('page').describe('What browsers ask for it as'),
  host: z.string().describe('Live host name, without port'),
  scheme: z.enum(['http', 'https']),
  refreshBelowS: z.number().min(0).default(0).describe('A copy with fewer seconds of freshness left is fetched again'),
})
export type WarmOrder = z.infer<typeof WarmOrder>

/** What became of an address: of the worst of its forms, where visitors get several. */
export const WarmOutcome = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('fresh') }).describe('A fresh copy was there'),
  z.object({ kind: z.literal('unchanged') }).describe('The origin said that the stored copy still holds (304)'),
  z.object({ kind: z.literal('stored') }),
  z.object({ kind: z.literal('not-stored'), reason: z.string(), sentence: z.string() }),
  z.object({ kind: z.literal('failed'), sentence: z.string() }),
])
export type WarmOutcome = z.infer<typeof WarmOutcome>

export const WarmResult = z.object({
  outcome: WarmOutcome,
  waitsMs: z.array(z.number()).describe('What the origin took until each of its answers began'),
  missing: z
    .array(z.object({ target: WarmPath, as: z.enum(['image', 'file']) }))
    .describe('Files of the site that browsers fetch with it, and that are not stored'),
})
export type WarmResult = z.infer<typeof WarmResult>
