import { z } from 'zod'

/** What a cookie was found to do to pages, by comparing answers with it and without. */
export const CookieFinding = z.object({
  name: z.string(),
  effect: z
    .enum(['none', 'session', 'personal', 'changes', 'unsteady'])
    .describe(
      '"none": no page changes; "session": none changes yet, but each visitor gets a value of their own; "personal": an answer is marked as one visitor’s or differs with each value; "changes": some page differs; "unsteady": the page differs by itself, so that nothing can be said',
    ),
  sentence: z.string(),
  treated: z.enum(['visitor', 'author', 'harmless', 'unknown']).describe('How the trial treats it now'),
  paths: z.array(z.string()).describe('Pages that differ'),
})
export type CookieFinding = z.infer<typeof CookieFinding>

export const CookieSearchOrder = z.strictObject({
  cookie: z
    .string()
    .max(8000)
    .regex(/^[\x20-\x7e]*$/, 'Write the Cookie field on one line.')
    .default('')
    .describe('Cookies of a browser that is signed in and has something in the basket; not written down'),
})
export type CookieSearchOrder = z.infer<typeof CookieSearchOrder>

export const CookieReport = z.object({ findings: z.array(CookieFinding) })
export type CookieReport = z.infer<typeof CookieReport>
