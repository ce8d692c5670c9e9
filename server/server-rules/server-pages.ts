import { count, eq, sum } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import { ServerPagesSettings, type ServerPages, type ServerPagesOrder } from '../../core/contracts/server-pages.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { fileConnections, serverPageFiles, serverPages } from '../db/server-rules-schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import { siteRow } from '../sites/sites.ts'

type Row = Omit<typeof serverPages.$inferSelect, 'siteId'>

export const serverPagesRow = async (db: Database, siteId: string): Promise<Row> => {
  const [row] = await db.select().from(serverPages).where(eq(serverPages.siteId, siteId))
  return row ?? { settings: ServerPagesSettings.parse({}), last: null, goodUntil: null, waiting: null, by: '' }
}

/** Write some of what is known down. */
export const changeServerPages = async (db: Database, siteId: string, changed: Partial<Row>): Promise<void> => {
  const row = { ...(await serverPagesRow(db, siteId)), ...changed }
  await db
    .insert(serverPages)
    .values({ ...row, siteId })
    .onConflictDoUpdate({ target: serverPages.siteId, set: changed })
}

/** Pages of a site on its web server. @throws AppError NOT_FOUND */
export const serverPagesOf = async ({ db }: HasDatabase, siteId: string): Promise<ServerPages> => {
  await siteRow(db, siteId)
  const { settings, last, goodUntil } = await serverPagesRow(db, siteId)
  const [there] = await db
    .select({ files: count(), bytes: sum(serverPageFiles.bytes) })
    .from(serverPageFiles)
    .where(eq(serverPageFiles.siteId, siteId))
  return { settings, files: there?.files ?? 0, bytes: Number(there?.bytes ?? 0), goodUntil, last }
}

/** @throws AppError NOT_FOUND */
export const saveServerPages = async (
  services: HasDatabase,
  siteId: string,
  settings: ServerPagesSettings,
): Promise<ServerPages> => {
  await siteRow(services.db, siteId)
  await changeServerPages(services.db, siteId, { settings })
  return serverPagesOf(services, siteId)
}

const TITLES = { write: 'Writing pages to your web server', remove: 'Removing pages from your web server' } as const

/** Queue it. @throws AppError NOT_FOUND, SERVER_PAGES_UNDER_WAY */
export const orderServerPages = async (
  { db, jobs }: HasDatabase & HasJobs,
  siteId: string,
  what: ServerPagesOrder['what'],
  by: string,
): Promise<Job> => {
  await siteRow(db, siteId)
  const [connection] = await db.select().from(fileConnections).where(eq(fileConnections.siteId, siteId))
  if (connection === undefined) throw errors.notFound('file connection')
  return jobs.order({ siteId, kind: 'server-pages', title: TITLES[what], subjectId: what, total: 1 }, newId(), (tx) =>
    changeServerPages(tx, siteId, { by }),
  )
}
