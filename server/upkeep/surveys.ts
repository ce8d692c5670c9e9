import { createHash } from 'node:crypto'
import { desc, eq, inArray } from 'drizzle-orm'
import type { CleanUpGroup, GroupPreview, Survey, SurveyResult } from '../../core/contracts/clean-up.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { schemaText, type DatabaseSchema } from '../../core/upkeep/database-schema.ts'
import { findGroups } from '../../core/upkeep/find-groups.ts'
import type { LiveFacts } from '../../core/upkeep/find-context.ts'
import { previewGroup } from '../../core/upkeep/group-preview.ts'
import { TooSlow, type Probe } from '../../core/upkeep/table-profiles.ts'
import { newId } from '../accounts/secrets.ts'
import { siteDatabase, type HasDatabaseSecrets } from '../databases/database-connections.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { DatabaseFailure, type OpenDatabase } from '../databases/open-database.ts'
import { readSchema } from '../databases/read-schema.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { jobs } from '../db/schema.ts'
import { databaseSurveys } from '../db/upkeep-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { JobFailure, type HasJobs, type JobHandler } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { AS_MADE, askedSiteOf, askSite } from '../net/asked-site.ts'
import { getSite } from '../sites/sites.ts'

const MOST_KEPT = 5
/** Pages that are read for what they show; addresses come from their links and the sitemap. */
const MOST_PAGES = 12
const MOST_BYTES = 4 * 1024 * 1024

export const digestOfSchema = (schema: DatabaseSchema): string =>
  createHash('sha256').update(schemaText(schema)).digest('base64url')

/** What takes too long is a finding of its own; everything else that fails ends the survey. */
export const probeOf = (db: OpenDatabase): Probe => ({
  rows: async (sql) => {
    try {
      return await db.rows(sql)
    } catch (error) {
      throw error instanceof DatabaseFailure && error.reason === 'too-slow' ? new TooSlow(error.message) : error
    }
  },
})

const textOf = async (site: Site, path: string): Promise<string> => {
  try {
    const { status, body } = await askSite(askedSiteOf(site), path, AS_MADE, MOST_BYTES)
    return status === 200 ? body.toString('utf8') : ''
  } catch (error) {
    if (error instanceof OutsideFailure) return ''
    throw error
  }
}

/** Longest text of a page that is compared with rows: an origin may send whatever it likes. */
const LONGEST_TEXT = 150_000

/** Without what stands between a tag and its end; one that never ends takes the rest. In one pass, whatever the page is. */
export const withoutElements = (html: string, name: string): string => {
  const [open, close] = [`<${name}`, `</${name}>`]
  const parts: string[] = []
  let at = 0
  for (let from = html.indexOf(open); from >= 0; from = html.indexOf(open, at)) {
    parts.push(html.slice(at, from))
    const end = html.indexOf(close, from)
    if (end < 0) return parts.join(' ')
    at = end + close.length
  }
  return [...parts, html.slice(at)].join(' ')
}

const plain = (html: string): string =>
  withoutElements(withoutElements(html.toLowerCase(), 'script'), 'style')
    .replaceAll(/<[^<>]*>/g, ' ')
    .replaceAll(/\s+/g, ' ')
    .slice(0, LONGEST_TEXT)

const LINKED = /(?:href="|<loc>)([^"<>\s]{1,500})/g

/** What visitors get: the texts of the sample's pages, and the last parts of all addresses that they and the sitemap name. */
export const liveFactsOf = async (site: Site): Promise<LiveFacts> => {
  const paths = [...new Set([...site.sample.map(({ path }) => path), '/'])].slice(0, MOST_PAGES)
  const pages: string[] = []
  for (const path of paths) pages.push(await textOf(site, path))
  const addresses = [...pages, await textOf(site, '/sitemap.xml')].flatMap((text) =>
    Array.from(text.matchAll(LINKED), ([, address]) => address ?? ''),
  )
  const segments = addresses.flatMap((address) => {
    const [path = ''] = address.split(/[?#]/, 1)
    const last = path.split('/').filter(Boolean).at(-1)
    return last === undefined ? [] : [last.toLowerCase()]
  })
  return { segments: new Set(segments), texts: pages.map(plain) }
}

/** Queue a look through the database. @throws AppError NOT_FOUND, UPKEEP_UNDER_WAY */
export const orderSurvey = async (
  services: HasDatabase & HasJobs & HasClock & HasDatabaseSecrets & HasAddresses,
  siteId: string,
): Promise<Job> => {
  await getSite(services, siteId)
  const [id, jobId] = [newId(), newId()]
  const row = { id, siteId, jobId, at: services.now() }
  return services.jobs.order(
    { siteId, kind: 'database-survey', title: 'Looking through the database', subjectId: id, total: 1 },
    jobId,
    (tx) => tx.insert(databaseSurveys).values(row),
  )
}

const forgetOld = async (db: Database, siteId: string): Promise<void> => {
  const old = await db
    .select({ id: databaseSurveys.id })
    .from(databaseSurveys)
    .where(eq(databaseSurveys.siteId, siteId))
    .orderBy(desc(databaseSurveys.at))
    .offset(MOST_KEPT)
  if (old.length > 0)
    await db.delete(databaseSurveys).where(
      inArray(
        databaseSurveys.id,
        old.map(({ id }) => id),
      ),
    )
}

/** What was found last. @throws AppError NOT_FOUND */
export const latestSurvey = async ({ db }: HasDatabase, siteId: string): Promise<Survey | null> => {
  const [row] = await db
    .select({ survey: databaseSurveys, state: jobs.state, error: jobs.error })
    .from(databaseSurveys)
    .innerJoin(jobs, eq(jobs.id, databaseSurveys.jobId))
    .where(eq(databaseSurveys.siteId, siteId))
    .orderBy(desc(databaseSurveys.at))
    .limit(1)
  if (row === undefined) return null
  const { siteId: _site, at, ...rest } = row.survey
  return { ...rest, at: at.toISOString(), state: row.state, error: row.error }
}

/** Look at the rows of a group as they are now. @throws AppError NOT_FOUND, DATABASE_UNREACHABLE */
export const previewOf = async (
  services: HasDatabase & HasDatabaseSecrets & HasClock,
  siteId: string,
  group: CleanUpGroup,
): Promise<GroupPreview> => {
  try {
    return await withDatabase(
      () => siteDatabase(services, siteId),
      async (db) => previewGroup(await readSchema(db), probeOf(db), group, services.now()),
    )
  } catch (error) {
    throw error instanceof DatabaseFailure ? errors.databaseUnreachable(error.message) : error
  }
}

const survey = async (
  db: OpenDatabase,
  site: Site,
  now: Date,
  told: (done: number, total: number, words: string) => Promise<void>,
): Promise<SurveyResult> => {
  await told(0, 1, 'Reading the pages of the sample')
  const live = await liveFactsOf(site)
  const schema = await readSchema(db)
  const total = schema.tables.length + 1
  let done = 0
  const { groups, leftAlone } = await findGroups(schema, probeOf(db), {
    ...{ now, live },
    progress: (table) => told(++done, total, `Looking at ${table}`),
  })
  return {
    server: db.server,
    schemaDigest: digestOfSchema(schema),
    tables: schema.tables.map(({ name, rows, bytes, columns, key }) => ({
      ...{ name, rows, bytes },
      columns: columns.map((column) => ({ name: column.name, kind: column.kind })),
      key: [...key],
    })),
    groups,
    leftAlone,
  }
}

/** Look through the database for what can go. Nothing is changed. */
export const surveyJob =
  (needed: HasDatabase & HasEvents & HasAddresses & HasClock & HasDatabaseSecrets): JobHandler =>
  async (job, progress) => {
    const site = await getSite(needed, job.siteId)
    try {
      const result = await withDatabase(
        () => siteDatabase(needed, job.siteId),
        (db) =>
          survey(db, site, needed.now(), async (done, total, now) => {
            progress.signal.throwIfAborted()
            await progress.report(done, total, now, null)
          }),
      )
      await needed.db.update(databaseSurveys).set({ result }).where(eq(databaseSurveys.id, job.subjectId))
      await forgetOld(needed.db, job.siteId)
    } catch (error) {
      throw error instanceof DatabaseFailure ? new JobFailure(error.message) : error
    } finally {
      needed.events.changed(job.siteId, 'upkeep')
    }
  }
