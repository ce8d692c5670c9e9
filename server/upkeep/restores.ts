import { rm, stat } from 'node:fs/promises'
import { mkdir } from 'node:fs/promises'
import { eq } from 'drizzle-orm'
import type { RestoreOrder } from '../../core/contracts/database-backups.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import { newId } from '../accounts/secrets.ts'
import { neighbourDatabase, siteDatabase, type HasDatabaseSecrets } from '../databases/database-connections.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { DatabaseFailure, type OpenDatabase } from '../databases/open-database.ts'
import type { HasDatabase } from '../db/database.ts'
import { cleanUps, databaseBackups, databaseRestores } from '../db/upkeep-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import { FileFailure } from '../files/file-server.ts'
import { withFiles } from '../files/open-files.ts'
import { JobFailure, type HasJobs, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { writeEntry } from '../release/ledger.ts'
import { localFile, type HasUpkeepFolder } from './backups.ts'
import { removedFileName } from './clean-up-job.ts'
import { restoreMedia } from './media-backup.ts'
import { linesOfRemovedFile } from './removed-file.ts'
import { isEmpty, restoreInto } from './restore-database.ts'
import { digestOfFile, linesOfSealedFile, statementsOf } from './sql-file.ts'
import { upkeepPlanOf } from './upkeep-plan.ts'

type Needed = HasDatabase & HasEvents & HasClock & HasDatabaseSecrets & HasFileAccess & HasUpkeepFolder

const subjectOf = async ({ db }: HasDatabase, siteId: string, order: RestoreOrder): Promise<boolean> => {
  if (order.what === 'clean-up') {
    const [row] = await db.select().from(cleanUps).where(eq(cleanUps.id, order.cleanUpId))
    return row?.siteId === siteId
  }
  if (order.what === 'media') return (await upkeepPlanOf(db, siteId)) !== undefined
  const [row] = await db.select().from(databaseBackups).where(eq(databaseBackups.id, order.backupId))
  return row?.siteId === siteId && row.stage !== 'removed'
}

const titleOf = (order: RestoreOrder): string => {
  if (order.what === 'clean-up') return 'Putting removed rows back'
  return order.what === 'media'
    ? 'Putting missing files back into the media folder'
    : `Restoring the backup into ${order.database}`
}

/** Queue the way back. @throws AppError NOT_FOUND, UPKEEP_UNDER_WAY */
export const orderRestore = async (
  services: HasDatabase & HasJobs & HasClock,
  siteId: string,
  order: RestoreOrder,
  by: string,
): Promise<Job> => {
  if (!(await subjectOf(services, siteId, order)))
    throw errors.notFound(order.what === 'clean-up' ? 'clean-up' : 'backup')
  const [id, jobId] = [newId(), newId()]
  const title = titleOf(order)
  return services.jobs.order({ siteId, kind: 'database-restore', title, subjectId: id, total: 100 }, jobId, (tx) =>
    tx.insert(databaseRestores).values({ id, siteId, jobId, at: services.now(), by, order }),
  )
}

const exists = (path: string): Promise<boolean> =>
  stat(path).then(
    () => true,
    () => false,
  )

/** A file of ours on this machine, fetched from the backup place where it is not here; its digest is looked at. */
const broughtHere = async (needed: Needed, siteId: string, name: string, sha256: string): Promise<string> => {
  const path = localFile(needed, name)
  if ((await exists(path)) && (await digestOfFile(path)) === sha256) return path
  await withFiles(
    () => siteFiles(needed, siteId, 'backups'),
    (files) => files.fetch(name, path),
  )
  if ((await digestOfFile(path)) === sha256) return path
  await rm(path)
  throw new JobFailure(
    `The file ${name} at the backup place is not the one that was written: its digest differs. It is not restored.`,
  )
}

/** Most rounds over rows that point to one another. */
const MOST_ROUNDS = 8

/** Carry out INSERT statements until none of them waits for the row of another. */
const putBack = async (
  db: OpenDatabase,
  statements: AsyncIterable<string> | Iterable<string>,
  told: (done: number) => Promise<void>,
): Promise<{ rows: number; failed: string[] }> => {
  let rows = 0
  let done = 0
  let waiting: string[] = []
  let failed: string[] = []
  for await (const statement of statements) {
    try {
      rows += await db.run(statement)
    } catch (error) {
      if (!(error instanceof DatabaseFailure) || error.reason === 'lost') throw error
      waiting.push(statement)
    }
    await told(++done)
  }
  for (let round = 0; round < MOST_ROUNDS && waiting.length > 0; round++) {
    const again = waiting
    ;[waiting, failed] = [[], []]
    for (const statement of again)
      try {
        rows += await db.run(statement)
      } catch (error) {
        if (!(error instanceof DatabaseFailure) || error.reason === 'lost') throw error
        waiting.push(statement)
        failed.push(error.message)
      }
    if (waiting.length === again.length) break
  }
  return { rows, failed: waiting.length === 0 ? [] : failed }
}

const restoreRemoved = async (
  needed: Needed,
  siteId: string,
  cleanUpId: string,
  progress: JobProgress,
): Promise<string> => {
  const [row] = await needed.db.select().from(cleanUps).where(eq(cleanUps.id, cleanUpId))
  if (row === undefined) throw new JobFailure('This clean-up is gone.')
  const { identity } = await upkeepPlanOf(needed.db, siteId)
  const kept = row.result?.kept ?? null
  // A clean-up that broke off has left its file as it was written.
  const plain = localFile(needed, removedFileName(row.id))
  if (kept === null && !(await exists(plain))) throw new JobFailure('This clean-up has removed nothing.')
  const lines =
    kept === null
      ? linesOfRemovedFile(plain)
      : linesOfSealedFile(await broughtHere(needed, siteId, kept.file, kept.sha256), identity)
  const { rows, failed } = await withDatabase(
    () => siteDatabase(needed, siteId, 'clean-up'),
    (db) =>
      putBack(db, statementsOf(lines), async (done) => {
        progress.signal.throwIfAborted()
        if (done % 20 === 0) await progress.report(Math.min(99, done), 100, 'Putting rows back', null)
      }),
  )
  const sentence = `${rows === 1 ? 'One row was' : `${rows.toLocaleString('en')} rows were`} put back.${failed.length === 0 ? '' : ` Some could not be: ${failed[0] ?? ''}`}`
  await needed.db.update(cleanUps).set({ restored: sentence }).where(eq(cleanUps.id, row.id))
  return sentence
}

const restoreEverything = async (
  needed: Needed,
  siteId: string,
  backupId: string,
  database: string,
  progress: JobProgress,
): Promise<string> => {
  const [row] = await needed.db.select().from(databaseBackups).where(eq(databaseBackups.id, backupId))
  if (row?.written === null || row === undefined) throw new JobFailure('This backup was never written.')
  const { identity } = await upkeepPlanOf(needed.db, siteId)
  await progress.report(5, 100, 'Getting the backup', null)
  const path = await broughtHere(needed, siteId, row.file, row.written.sha256)
  try {
    await withDatabase(
      () => neighbourDatabase(needed, siteId, database),
      async (db) => {
        if (!(await isEmpty(db)))
          throw new JobFailure(
            `The database ${database} is not empty. Everything is restored into an empty one only, so that nothing is lost.`,
          )
        await restoreInto(db, statementsOf(linesOfSealedFile(path, identity)), async (done) => {
          progress.signal.throwIfAborted()
          if (done % 20 === 0) await progress.report(Math.min(99, 10 + done / 20), 100, 'Restoring', null)
        })
      },
    )
  } finally {
    await rm(path, { force: true })
  }
  return `The backup was restored into ${database}. Point your site to it once you have looked at it.`
}

/** @returns what was done, in a sentence */
const carryOut = async (
  needed: Needed,
  siteId: string,
  order: RestoreOrder,
  progress: JobProgress,
): Promise<string> => {
  if (order.what === 'clean-up') return restoreRemoved(needed, siteId, order.cleanUpId, progress)
  if (order.what === 'everything') return restoreEverything(needed, siteId, order.backupId, order.database, progress)
  return restoreMedia(needed, siteId, await upkeepPlanOf(needed.db, siteId), async (done, total, file) => {
    progress.signal.throwIfAborted()
    await progress.report(Math.floor((100 * done) / Math.max(1, total)), 100, file, null)
  })
}

/** Put rows or files back, or restore a whole backup. */
export const restoreJob =
  (needed: Needed): JobHandler =>
  async (job, progress) => {
    const [row] = await needed.db.select().from(databaseRestores).where(eq(databaseRestores.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This order is gone.')
    await mkdir(needed.upkeepFolder, { recursive: true, mode: 0o700 })
    progress.afterwards(async () => needed.events.changed(job.siteId, 'upkeep'))
    try {
      const { order } = row
      const sentence = await carryOut(needed, job.siteId, order, progress)
      await writeEntry(
        needed.db,
        job.siteId,
        { kind: 'upkeep', title: job.title, changes: [sentence], by: row.by, decision: 'none' },
        needed.now(),
      )
    } catch (error) {
      const isSentence = error instanceof DatabaseFailure || error instanceof FileFailure
      throw isSentence ? new JobFailure(error.message) : error
    }
  }
