import { z } from 'zod'

/** What is seen from outside of how a site is run. */
export const SiteHabit = z.object({
  topic: z.enum(['content-system', 'language', 'server', 'page-making', 'file-wait', 'distance', 'protocol']),
  sentence: z.string(),
  evidence: z.array(z.string()),
  seconds: z.number().nullable().describe('What of a visit it takes, where that can be told'),
})
export type SiteHabit = z.infer<typeof SiteHabit>

export const HabitAnswer = z.enum(['yes', 'no', 'unknown'])
export type HabitAnswer = z.infer<typeof HabitAnswer>

/** What the owner says of what nobody can see from outside. */
export const HabitAnswers = z.strictObject({
  'unused-extensions': HabitAnswer.optional(),
  'unused-themes': HabitAnswer.optional(),
  'system-current': HabitAnswer.optional(),
  'language-current': HabitAnswer.optional(),
  'shared-host': HabitAnswer.optional(),
})
export type HabitAnswers = z.infer<typeof HabitAnswers>
export type HabitQuestion = keyof HabitAnswers

/** What the newest look from outside found. */
export const SiteHabits = z.object({ at: z.iso.datetime(), seen: z.array(SiteHabit) })
export type SiteHabits = z.infer<typeof SiteHabits>
