import { desc, eq } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { Placing, PlacingOrder } from '../../core/contracts/server-rules.ts'
import { readRulesFile } from '../../core/server-rules/rules-file-text.ts'
import { newId } from '../accounts/secrets.ts'
import type { HasDatabase } from '../db/database.ts'
import { jobs } from '../db/schema.ts'
import { fileConnections, placings, rehearsals } from '../db/server-rules-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import { FileFailure } from '../files/file-server.ts'
import { withFiles } from '../files/open-files.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { getSite, siteRow } from '../sites/sites.ts'

const MOST_SHOWN = 20
const STEPS = 4

/** Queue a change of the rules file on the web server. @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY, NOT_REHEARSED */
export const orderPlacing = async (
  services: HasDatabase & HasJobs & HasClock & HasAddresses,
  siteId: string,
  order: PlacingOrder,
  by: string,
): Promise<Job> => {
  const { db, jobs: queue } = services
  await getSite(services, siteId)
  const [connection] = await db.select().from(fileConnections).where(eq(fileConnections.siteId, siteId))
  if (connection === undefined) throw errors.notFound('file connection')
  if (order.action === 'put') {
    const [rehearsed] = await db
      .select()
      .from(rehearsals)
      .where(eq(rehearsals.id, order.rehearsalId ?? ''))
    if (rehearsed?.siteId !== siteId || rehearsed.result?.outcome !== 'good') throw errors.notRehearsed()
  }
  if (await queue.hasOpen(siteId)) throw errors.measuring()
  const [id, jobId] = [newId(), newId()]
  const title = order.action === 'put' ? `Putting rules into ${order.file}` : `Taking rules out of ${order.file}`
  const row = { id, siteId, jobId, at: services.now(), by, order, backup: null, result: null }
  return queue.order({ siteId, kind: 'rules-placing', title, subjectId: id, total: STEPS }, jobId, (tx) =>
    tx.insert(placings).values(row),
  )
}

/** Changes of the rules file, newest first. */
export const listPlacings = async ({ db }: HasDatabase, siteId: string): Promise<Placing[]> => {
  const rows = await db
    .select({ placing: placings, state: jobs.state })
    .from(placings)
    .innerJoin(jobs, eq(jobs.id, placings.jobId))
    .where(eq(placings.siteId, siteId))
    .orderBy(desc(placings.at))
    .limit(MOST_SHOWN)
  return rows.map(({ placing: { siteId: _site, at, ...rest }, state }) => ({
    ...rest,
    backup: rest.backup === '' ? null : rest.backup,
    at: at.toISOString(),
    state,
  }))
}

/** The rules file as it is on the web server now; null: there is none. @throws AppError NOT_FOUND, FILES_UNREACHABLE */
export const readPresentFile = async (
  services: HasDatabase & HasFileAccess,
  siteId: string,
  name: string,
): Promise<{ text: string | null }> => {
  await siteRow(services.db, siteId)
  try {
    const file = await withFiles(
      () => siteFiles(services, siteId),
      (files) => files.read(name),
    )
    return { text: file === undefined ? null : readRulesFile(file.bytes).text }
  } catch (error) {
    if (error instanceof FileFailure) throw errors.filesUnreachable(error.message)
    throw error
  }
}
