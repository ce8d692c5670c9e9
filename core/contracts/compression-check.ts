import { z } from 'zod'

/** What a check of compression asks, and what the browser in hand takes. */
export const CompressionPlan = z.object({
  paths: z.array(z.string()).describe('The home page, and one file of each type of text that it names'),
  accepts: z.array(z.string()).describe('Codings that the browser that asks takes'),
})
export type CompressionPlan = z.infer<typeof CompressionPlan>
