import { z } from 'zod'
import { HabitAnswers } from './site-habits.ts'
import { JobState } from './jobs.ts'

/** What a column holds, as far as clean-ups care. */
export const ColumnKind = z.enum(['number', 'text', 'time', 'truth', 'other'])
export type ColumnKind = z.infer<typeof ColumnKind>

const Name = z.string().min(1).max(200)

/** How moments are written in a column: as such, or as a number since 1970. */
export const TimeForm = z.enum(['time', 'seconds', 'milliseconds'])
export type TimeForm = z.infer<typeof TimeForm>

const Value = z.union([z.string().max(500), z.number(), z.boolean()])

/** One thing that must hold of a row. */
export const Condition = z.discriminatedUnion('is', [
  z.strictObject({ is: z.literal('one-of'), column: Name, values: z.array(Value).min(1).max(50) }),
  z.strictObject({ is: z.literal('none-of'), column: Name, values: z.array(Value).min(1).max(50) }),
  z.strictObject({ is: z.literal('empty'), column: Name }),
  z.strictObject({ is: z.literal('filled'), column: Name }),
  z.strictObject({
    is: z.literal('older'),
    column: Name,
    days: z.number().min(0).max(36_500),
    form: TimeForm.default('time'),
  }),
  z
    .strictObject({ is: z.literal('not-ahead'), column: Name, form: TimeForm.default('time') })
    .describe('Empty, or a moment that has passed: nothing is planned for it'),
  z.strictObject({
    is: z.literal('points-to-nothing'),
    column: Name,
    table: Name.describe('Table that it points to'),
    key: Name.describe('Column of that table'),
  }),
])
export type Condition = z.infer<typeof Condition>

export const GroupKind = z.enum(['revisions', 'drafts', 'trash', 'spam', 'expired', 'sessions', 'orphans', 'other'])
export type GroupKind = z.infer<typeof GroupKind>

/** Rows of the same item that stay: the newest ones, and those that are young. */
export const KeepRule = z.strictObject({
  per: Name.describe('Column that says which item a row belongs to'),
  by: Name.describe('Column that says which row is newer'),
  form: TimeForm.nullable().describe('Null: a number that grows'),
  newest: z.int().min(0).max(10_000),
  youngerThanDays: z.number().min(0).max(36_500).nullable(),
})
export type KeepRule = z.infer<typeof KeepRule>

/** Rows of another table, or of the same, that point to the rows of a group. */
export const Referring = z.strictObject({
  table: Name,
  column: Name,
  key: Name.describe('Column of the group’s table that is pointed to'),
  treat: z
    .enum(['stay', 'remove'])
    .describe(
      'Stay: rows of the group that something points to are left alone. Remove: what points to them goes along',
    ),
})
export type Referring = z.infer<typeof Referring>

/** Rows that a clean-up removes, described without any database at hand. */
export const CleanUpGroup = z
  .strictObject({
    id: z.string().regex(/^[\w-]{1,100}$/),
    kind: GroupKind,
    name: z.string().trim().min(1).max(200),
    table: Name,
    where: z.array(Condition).max(20),
    keep: KeepRule.nullable().default(null),
    referring: z.array(Referring).max(50).default([]),
  })
  .refine(({ where, keep }) => where.length > 0 || keep !== null, {
    error: 'A group needs a condition: otherwise it would be the whole table.',
    path: ['where'],
  })
export type CleanUpGroup = z.infer<typeof CleanUpGroup>

/** Groups as a file, to take them to another site. */
export const GroupsFile = z.strictObject({
  format: z.literal('zest-lamp-clean-up-groups-1'),
  groups: z.array(CleanUpGroup).max(200),
})
export type GroupsFile = z.infer<typeof GroupsFile>

/** How sure it is that nobody misses these rows. */
export const Sureness = z.enum(['sure', 'likely', 'unsure'])

/** Rows of a group as they are now. */
export const GroupPreview = z.object({
  group: CleanUpGroup,
  sentence: z.string().describe('What the rows are, in words'),
  condition: z.string().describe('The condition as SQL'),
  rows: z.int().nullable().describe('Null: could not be counted'),
  bytes: z.number().nullable().describe('Estimated'),
  columns: z.array(z.string()),
  samples: z.array(z.array(z.string().nullable())).describe('Up to three rows, long values cut'),
  heldBack: z.int().nullable().describe('Rows that stay because something points to them'),
  problem: z.string().nullable().describe('Why it cannot be removed as it is'),
})
export type GroupPreview = z.infer<typeof GroupPreview>

export const FoundGroup = GroupPreview.extend({
  sure: Sureness,
  evidence: z.array(z.string()),
})
export type FoundGroup = z.infer<typeof FoundGroup>

export const SurveyedTable = z.object({
  name: z.string(),
  rows: z.number(),
  bytes: z.number(),
  columns: z.array(z.object({ name: z.string(), kind: ColumnKind })),
  key: z.array(z.string()),
})

/** What was found when the database was last looked through. */
export const SurveyResult = z.object({
  server: z.string(),
  schemaDigest: z.string(),
  tables: z.array(SurveyedTable),
  groups: z.array(FoundGroup),
  leftAlone: z.array(z.string()).describe('What looked like a group and is none, and why'),
})
export type SurveyResult = z.infer<typeof SurveyResult>

export const Survey = z.object({
  id: z.string(),
  jobId: z.string(),
  state: JobState,
  error: z.string().nullable(),
  at: z.iso.datetime(),
  result: SurveyResult.nullable(),
})
export type Survey = z.infer<typeof Survey>

/** Whether clocks of this machine know a time zone (tz database). */
const isTimeZone = (name: string): boolean => {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: name }).format() !== ''
  } catch {
    return false
  }
}

/** Hours in which clean-ups may run, by the clock of the site’s time zone; from and to may be around midnight. */
export const QuietHours = z.strictObject({
  from: z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'Give a time such as 02:00.'),
  to: z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'Give a time such as 05:00.'),
  zone: z.string().max(100).refine(isTimeZone, 'Give a time zone such as Europe/Dublin.'),
})
export type QuietHours = z.infer<typeof QuietHours>

/** What the owner has decided about the database. */
export const UpkeepPlan = z.strictObject({
  groups: z.array(CleanUpGroup).max(200).default([]).describe('Groups that the owner has confirmed'),
  quiet: QuietHours.nullable().default(null).describe('Null: at any hour'),
  generations: z.int().min(1).max(100).default(3).describe('Backups that are kept'),
  every: z
    .strictObject({ count: z.int().min(1).max(1000), unit: z.enum(['hours', 'days', 'weeks']) })
    .nullable()
    .default(null)
    .describe('How often a backup and the clean-up after it run by themselves; null: never'),
  answers: HabitAnswers.default({}).describe('What the owner says of what nobody can see from outside'),
})
export type UpkeepPlan = z.infer<typeof UpkeepPlan>

export const CleanUpOrder = z.strictObject({
  groups: z.array(CleanUpGroup).min(1).max(200),
  schemaDigest: z.string().describe('Of the survey that the owner looked at'),
  start: z.enum(['now', 'quiet-hours']).default('quiet-hours'),
  loads: z
    .enum(['measured', 'not-measured'])
    .default('measured')
    .describe('Whether pages are loaded in a browser before and after, as a phone and as a laptop'),
})
export type CleanUpOrder = z.infer<typeof CleanUpOrder>

export const GroupProgress = z.object({
  id: z.string(),
  name: z.string(),
  table: z.string(),
  removed: z.int(),
  along: z.int().describe('Rows of other tables that went along'),
  left: z.int().describe('Rows that were in use or had changed'),
  state: z.enum(['waiting', 'under-way', 'done']),
})
export type GroupProgress = z.infer<typeof GroupProgress>

/** Server wait of the sample’s pages, and queries where the site tells them. */
export const WaitComparison = z.object({
  before: z.object({ msWait: z.number(), queries: z.number().nullable() }),
  after: z.object({ msWait: z.number(), queries: z.number().nullable() }),
  verdict: z.enum(['faster', 'slower', 'no-measurable-difference']),
  sentence: z.string(),
})
export type WaitComparison = z.infer<typeof WaitComparison>

const LoadTimes = z.object({
  msMainContent: z.number(),
  msWait: z.number().nullable().describe('Until the first byte'),
})

/** Pages in a browser before and after a clean-up, straight from the site’s own server. */
export const CleanUpLoads = z.object({
  before: z.string().nullable().describe('The measurement before'),
  after: z.string().nullable(),
  pages: z.array(
    z.object({
      path: z.string(),
      visitorName: z.string(),
      before: LoadTimes,
      after: LoadTimes,
      verdict: WaitComparison.shape.verdict,
      sentence: z.string(),
    }),
  ),
  notMeasured: z.string().nullable().describe('Why there is no comparison'),
})
export type CleanUpLoads = z.infer<typeof CleanUpLoads>

export const CleanUpResult = z.object({
  sentence: z.string(),
  removed: z.int(),
  space: z.array(z.object({ table: z.string(), before: z.number(), after: z.number() })),
  wait: WaitComparison.nullable(),
  loads: CleanUpLoads.nullable().default(null).describe('Null: it was stopped, or not to be measured'),
  kept: z
    .object({ file: z.string(), bytes: z.number(), sha256: z.string(), offSite: z.boolean() })
    .nullable()
    .describe('File with what was removed'),
})
export type CleanUpResult = z.infer<typeof CleanUpResult>

export const CleanUp = z.object({
  id: z.string(),
  jobId: z.string(),
  state: JobState,
  error: z.string().nullable(),
  at: z.iso.datetime(),
  by: z.string(),
  order: CleanUpOrder,
  backupId: z.string(),
  progress: z.array(GroupProgress),
  result: CleanUpResult.nullable(),
  restored: z.string().nullable().describe('What came of putting the rows back'),
})
export type CleanUp = z.infer<typeof CleanUp>
