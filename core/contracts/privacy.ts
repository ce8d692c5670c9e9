import { z } from 'zod'

/** How one of the two signed-in visitors comes by their session. */
export const SignIn = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('form'),
    fields: z
      .record(z.string().max(200), z.string().max(1000))
      .describe('Fields of the sign-in form and what to write into them'),
  }),
  z.strictObject({
    kind: z.literal('cookie'),
    cookie: z
      .string()
      .min(1)
      .max(4000)
      .regex(/^[\x20-\x7e]*$/, 'Write the Cookie field on one line.')
      .describe('Cookie field of a browser that is signed in'),
  }),
])
export type SignIn = z.infer<typeof SignIn>

export const PrivacyCheckOrder = z.strictObject({
  signInPath: z
    .string()
    .trim()
    .max(2000)
    .regex(/^\/(?!\/)\S*$/, 'The sign-in page is named by its path, beginning with one "/".')
    .default('/sign-in'),
  visitors: z.tuple([SignIn, SignIn]).describe('Two different visitors; nothing of this is written down'),
})
export type PrivacyCheckOrder = z.infer<typeof PrivacyCheckOrder>

export const PRIVACY_VISITORS = [
  'signed in, first',
  'signed out, first',
  'signed in, second',
  'signed out, second',
] as const
export const PrivacyVisitor = z.enum(PRIVACY_VISITORS)
export type PrivacyVisitor = z.infer<typeof PrivacyVisitor>

export const PrivacyAnswer = z.object({
  visitor: PrivacyVisitor,
  status: z.int(),
  cacheStatus: z.string(),
  excerpt: z.string().describe('Text around the place in question'),
})
export type PrivacyAnswer = z.infer<typeof PrivacyAnswer>

/** Something of one visitor that reached another, or that did not reach whom it belongs to. */
export const PrivacyLeak = z.object({
  path: z.string(),
  kind: z.enum(['personal-text', 'secret', 'shared-token', 'cookie', 'own-lost']),
  sentence: z.string(),
  what: z.string().describe('The text, shortened'),
  owner: PrivacyAnswer.describe('What its owner gets from the origin'),
  reached: PrivacyAnswer.describe('What another visitor, or the owner where it was lost, got through the trial'),
})
export type PrivacyLeak = z.infer<typeof PrivacyLeak>

export const PrivacyCheck = z.object({
  id: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  state: z.enum(['running', 'passed', 'leaks', 'failed']),
  pages: z.int().describe('Pages that were asked for'),
  stored: z.int().describe('Answers that came from the store: only those can show a leak'),
  leaks: z.array(PrivacyLeak),
  current: z.boolean().describe('Whether it was made with the page cache settings that trial has now'),
})
export type PrivacyCheck = z.infer<typeof PrivacyCheck>

export const PrivacyState = z.object({
  needed: z.array(z.string()).describe('Kinds of pages that need the check before they can be kept'),
  latest: PrivacyCheck.nullable(),
})
export type PrivacyState = z.infer<typeof PrivacyState>
