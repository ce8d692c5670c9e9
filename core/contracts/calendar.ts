import { z } from 'zod'

/** Work that runs by itself. */
export const CalendarWork = z.enum(['retest', 'backup', 'clean-up', 'pictures', 'warm-up', 'certificate'])
export type CalendarWork = z.infer<typeof CalendarWork>

export const CalendarEntry = z.object({
  work: CalendarWork,
  at: z.iso.datetime(),
  msExpected: z.number().nullable().describe('How long it took the last times, in the middle; null: never done yet'),
})
export type CalendarEntry = z.infer<typeof CalendarEntry>

/** Something that the owner had better change before it happens. */
export const CalendarConflict = z.object({
  kind: z.enum(['overlap', 'rarer-than-wanted', 'longer-than-quiet', 'never']),
  works: z.array(CalendarWork),
  at: z.iso.datetime().nullable().describe('When it happens first'),
  sentence: z.string(),
})
export type CalendarConflict = z.infer<typeof CalendarConflict>

/** What will run by itself, and what is in the way of what. */
export const Calendar = z.object({
  until: z.iso.datetime(),
  entries: z.array(CalendarEntry),
  conflicts: z.array(CalendarConflict),
})
export type Calendar = z.infer<typeof Calendar>
