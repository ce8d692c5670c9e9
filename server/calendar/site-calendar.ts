import { and, desc, eq, isNotNull } from 'drizzle-orm'
import { isWithinHours } from '../../core/cache/warm-up-hours.ts'
import type { Calendar, CalendarConflict } from '../../core/contracts/calendar.ts'
import type { JobKind } from '../../core/contracts/jobs.ts'
import { isDue } from '../../core/measuring/retest-schedule.ts'
import { median } from '../../core/stats/median.ts'
import { calendarOf, type PlannedWork } from '../../core/upkeep/calendar.ts'
import { minutesUntilQuiet, quietMinutes } from '../../core/upkeep/quiet-hours.ts'
import type { QuietHours, UpkeepPlan } from '../../core/contracts/clean-up.ts'
import { databaseConnectionOf, type HasDatabaseSecrets } from '../databases/database-connections.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { automaticCertificates } from '../db/going-live-schema.ts'
import { pictureSurveys } from '../db/pictures-schema.ts'
import { jobs } from '../db/schema.ts'
import { databaseBackups } from '../db/upkeep-schema.ts'
import { fileConnectionOf, type HasFileAccess } from '../files/file-connections.ts'
import type { HasClock } from '../live/clock.ts'
import { picturePlanOf } from '../pictures/picture-plan.ts'
import { lastRetest } from '../routine/retests.ts'
import { siteRow } from '../sites/sites.ts'
import { upkeepPlanOf } from '../upkeep/upkeep-plan.ts'
import { warmUpOf } from '../warmup/warm-up-settings.ts'

const HOUR_MS = 3_600_000
const DAY_MS = 24 * HOUR_MS
const AHEAD_MS = 14 * DAY_MS
const UNITS = { hours: HOUR_MS, days: DAY_MS, weeks: 7 * DAY_MS } as const
/** Runs whose times are looked at. */
const RUNS = 5
const MINUTE_MS = 60_000

/** How long a kind of work took the last times, in the middle, ms. */
const tookOf = async (db: Database, siteId: string, kind: JobKind): Promise<number | null> => {
  const rows = await db
    .select({ from: jobs.createdAt, to: jobs.finishedAt })
    .from(jobs)
    .where(and(eq(jobs.siteId, siteId), eq(jobs.kind, kind), eq(jobs.state, 'done'), isNotNull(jobs.finishedAt)))
    .orderBy(desc(jobs.createdAt))
    .limit(RUNS)
  const times = rows.flatMap(({ from, to }) => (to === null ? [] : [to.getTime() - from.getTime()]))
  return times.length === 0 ? null : median(times)
}

const quietOf = (quiet: QuietHours | null): number | null => (quiet === null ? null : quietMinutes(quiet) * MINUTE_MS)

/** Every so often, in quiet hours. */
const inQuietHours =
  (every: number, quiet: QuietHours | null): PlannedWork['isDue'] =>
  (now, last) =>
    (last === null || now - last >= every) && (quiet === null || minutesUntilQuiet(quiet, new Date(now)) === 0)

const retestOf = async (db: Database, siteId: string): Promise<PlannedWork | undefined> => {
  const { routine } = await siteRow(db, siteId)
  if (routine === null || routine.everyHours === null) return undefined
  return {
    work: 'retest',
    isDue: (now, last) => isDue(routine, now, last),
    last: (await lastRetest(db, siteId))?.getTime() ?? null,
    took: await tookOf(db, siteId, 'measure'),
    every: routine.everyHours * HOUR_MS,
    quietMs: quietMinutes({ from: routine.quietFrom, to: routine.quietUntil }) * MINUTE_MS,
  }
}

const backupOf = async (db: Database, siteId: string, plan: UpkeepPlan): Promise<PlannedWork | undefined> => {
  if (plan.every === null) return undefined
  const every = plan.every.count * UNITS[plan.every.unit]
  const [newest] = await db
    .select({ at: databaseBackups.at })
    .from(databaseBackups)
    .where(eq(databaseBackups.siteId, siteId))
    .orderBy(desc(databaseBackups.at))
    .limit(1)
  return {
    work: 'backup',
    isDue: inQuietHours(every, plan.quiet),
    last: newest?.at.getTime() ?? null,
    took: await tookOf(db, siteId, 'database-backup'),
    every,
    quietMs: quietOf(plan.quiet),
    ...(plan.groups.length > 0 && {
      then: { work: 'clean-up' as const, took: await tookOf(db, siteId, 'clean-up') },
    }),
  }
}

const picturesOf = async (db: Database, siteId: string): Promise<PlannedWork | undefined> => {
  const { every: wanted, quiet, work } = await picturePlanOf(db, siteId)
  if (wanted === null || work === 'paused') return undefined
  const every = wanted.count * UNITS[wanted.unit]
  const [newest] = await db
    .select({ at: pictureSurveys.at })
    .from(pictureSurveys)
    .where(eq(pictureSurveys.siteId, siteId))
    .orderBy(desc(pictureSurveys.at))
    .limit(1)
  return {
    work: 'pictures',
    isDue: inQuietHours(every, quiet),
    last: newest?.at.getTime() ?? null,
    took: await tookOf(db, siteId, 'picture-survey'),
    every,
    quietMs: quietOf(quiet),
  }
}

const warmUpWork = async (db: Database, siteId: string): Promise<PlannedWork | undefined> => {
  const { settings, listedAt, paused } = await warmUpOf(db, siteId)
  if (paused || !settings.automatic || settings.everyH === 0) return undefined
  const every = settings.everyH * HOUR_MS
  return {
    work: 'warm-up',
    isDue: (now, last) => (last === null || now - last >= every) && isWithinHours(settings, new Date(now)),
    last: listedAt?.getTime() ?? null,
    took: await tookOf(db, siteId, 'warm-up'),
    every,
    quietMs: null,
  }
}

const certificateOf = async (db: Database, siteId: string): Promise<PlannedWork | undefined> => {
  const [row] = await db.select().from(automaticCertificates).where(eq(automaticCertificates.siteId, siteId))
  const next = row?.nextTryAt?.getTime()
  if (next === undefined) return undefined
  const took = await tookOf(db, siteId, 'certificate')
  return { work: 'certificate', isDue: (now) => now >= next, last: null, took, every: null, quietMs: null }
}

/** Work that is planned, and would be refused when its time comes. */
const neverOf = async (
  services: HasDatabase & HasFileAccess & HasDatabaseSecrets,
  siteId: string,
  plan: UpkeepPlan,
): Promise<CalendarConflict[]> => {
  if (plan.every === null) return []
  const refused = (works: CalendarConflict['works'], sentence: string): CalendarConflict => ({
    ...{ kind: 'never' as const, works, at: null, sentence },
  })
  const { place, allows } = await databaseConnectionOf(services, siteId)
  if (place === null)
    return [refused(['backup'], 'Backups are planned, but the database is not connected: none will be made.')]
  const backups = await fileConnectionOf(services, siteId, 'backups')
  if (backups.place === null)
    return [refused(['backup'], 'Backups are planned, but nothing says where they go: none will be made.')]
  return plan.groups.length > 0 && allows !== 'clean-up'
    ? [
        refused(
          ['clean-up'],
          'A clean-up is planned after each backup, but you have allowed reading only: it will not run.',
        ),
      ]
    : []
}

/** What will run by itself in the next two weeks, and what is in the way of what. @throws AppError NOT_FOUND */
export const siteCalendar = async (
  services: HasDatabase & HasClock & HasFileAccess & HasDatabaseSecrets,
  siteId: string,
): Promise<Calendar> => {
  const { db } = services
  const { plan } = await upkeepPlanOf(db, siteId)
  const works = await Promise.all([
    retestOf(db, siteId),
    backupOf(db, siteId, plan),
    picturesOf(db, siteId),
    warmUpWork(db, siteId),
    certificateOf(db, siteId),
  ])
  const from = services.now().getTime()
  const { entries, conflicts } = calendarOf(
    works.filter((one) => one !== undefined),
    from,
    from + AHEAD_MS,
  )
  return {
    until: new Date(from + AHEAD_MS).toISOString(),
    entries,
    conflicts: [...(await neverOf(services, siteId, plan)), ...conflicts],
  }
}
