import { z } from 'zod'

/** RFC 9457 problem details; `detail` says what is wrong and what to do. */
export const Problem = z.object({
  type: z.string().default('about:blank'),
  title: z.string(),
  status: z.int(),
  detail: z.string(),
  code: z.string().describe('Stable; for programs'),
  errors: z
    .array(z.object({ path: z.string(), message: z.string() }))
    .optional()
    .describe('Which parts of the input are wrong'),
})
export type Problem = z.infer<typeof Problem>
