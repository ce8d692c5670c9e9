import { z } from 'zod'

export const JobState = z.enum(['queued', 'running', 'done', 'failed', 'cancelled'])
export type JobState = z.infer<typeof JobState>

export const JobKind = z.enum([
  'measure',
  'privacy-check',
  'cookie-search',
  'safety-check',
  'culprit-search',
  'guided-run',
  'warm-up',
  'simulation',
  'objects-fill',
  'certificate',
  'live-check',
  'load-test',
  'rehearsal',
  'rules-placing',
  'server-pages',
  'database-survey',
  'database-backup',
  'clean-up',
  'database-restore',
  'picture-survey',
  'picture-conversion',
  'picture-placing',
  'habits-look',
])
export type JobKind = z.infer<typeof JobKind>

/** Work that takes longer than a second. */
export const Job = z.object({
  id: z.string(),
  siteId: z.string(),
  kind: JobKind,
  title: z.string(),
  subjectId: z.string().describe('What it works on: the measurement or the check'),
  state: JobState,
  done: z.int().describe('Steps finished'),
  total: z.int().describe('Steps in all'),
  now: z.string().describe('What is being done, in words'),
  msLeft: z.number().nullable().describe('Estimated; null while unknown'),
  skip: z
    .string()
    .nullable()
    .default(null)
    .describe('What may be skipped right now, as the words of a button; null: nothing'),
  error: z.string().nullable(),
  createdAt: z.iso.datetime(),
  finishedAt: z.iso.datetime().nullable(),
})
export type Job = z.infer<typeof Job>

/** Server-sent events: `job` carries a Job, `changed` names what to load again. */
export const Changed = z.object({
  siteId: z.string(),
  what: z.enum([
    'site',
    'trial',
    'measurements',
    'ledger',
    'traffic',
    'privacy',
    'messages',
    'safety',
    'guided',
    'warm-up',
    'objects',
    'certificate',
    'load-tests',
    'server-rules',
    'upkeep',
  ]),
})
export type Changed = z.infer<typeof Changed>
