import { z } from 'zod'
import { PageSequence } from '../../core/contracts/next-pages.ts'

/** Which pages follow which, as earlier processes have learnt. */
export const KeptNextPages = z.object({
  sites: z.array(z.object({ siteId: z.string(), sequences: z.array(PageSequence) })),
  acting: z.array(z.string()).default([]).describe('Sites and addresses that something was sent to'),
  asking: z
    .array(z.string())
    .default([])
    .describe('Sites and pages that asked for something while they were rendered ahead'),
})
export type KeptNextPages = z.infer<typeof KeptNextPages>
