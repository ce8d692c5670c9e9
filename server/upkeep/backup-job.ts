import { mkdir, rm } from 'node:fs/promises'
import { and, desc, eq, inArray } from 'drizzle-orm'
import type { Backup } from '../../core/contracts/database-backups.ts'
import type { DatabaseEngine } from '../../core/contracts/site-databases.ts'
import { proofServerOf, siteDatabase, type HasDatabaseSecrets } from '../databases/database-connections.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { DatabaseFailure, type OpenDatabase } from '../databases/open-database.ts'
import { openScratchOn } from '../databases/scratch-on-server.ts'
import type { HasDatabase } from '../db/database.ts'
import { databaseBackups } from '../db/upkeep-schema.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import { FileFailure } from '../files/file-server.ts'
import { withFiles } from '../files/open-files.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { writeEntry } from '../release/ledger.ts'
import { localFile, type BackupRow, type HasUpkeepFolder } from './backups.ts'
import { dumpDatabase, IncompleteDump } from './dump-database.ts'
import { backUpMedia } from './media-backup.ts'
import { builtLike, differencesOf, restoreInto } from './restore-database.ts'
import type { HasScratch } from './scratch-database.ts'
import { digestOfFile, linesOfSealedFile, newEndMark, sqlText, statementsOf, writeSealedFile } from './sql-file.ts'
import { upkeepPlanOf, type KnownPlan } from './upkeep-plan.ts'

type Needed = HasDatabase & HasEvents & HasClock & HasDatabaseSecrets & HasFileAccess & HasUpkeepFolder & HasScratch

/** Shares of the work, in percent: reading and writing, sending and getting back, restoring and comparing. */
const WRITTEN = 45
const SENT = 60
const RESTORED = 95

const WORDS: Record<DatabaseEngine, string> = { postgresql: 'PostgreSQL', mariadb: 'MariaDB or MySQL' }

const set = (needed: Needed, id: string, change: Partial<BackupRow>): Promise<unknown> =>
  needed.db.update(databaseBackups).set(change).where(eq(databaseBackups.id, id))

/** Reports at most once for each percent: a large database has many portions. */
const percentTeller = ({ report }: JobProgress): ((percent: number, now: string) => Promise<void>) => {
  const startedAt = Date.now()
  let last = ''
  return async (percent, now) => {
    const whole = Math.min(99, Math.floor(percent))
    if (last === `${whole} ${now}`) return
    last = `${whole} ${now}`
    await report(whole, 100, now, whole < 3 ? null : ((Date.now() - startedAt) / whole) * (100 - whole))
  }
}
type Tell = ReturnType<typeof percentTeller>

interface Written {
  readonly engine: DatabaseEngine
  readonly built: readonly string[]
  readonly tables: BackupRow['tables']
  readonly sha256: string
}

const write = async (
  needed: Needed,
  row: BackupRow,
  known: KnownPlan,
  tell: Tell,
  signal: AbortSignal,
): Promise<Written> =>
  withDatabase(
    () => siteDatabase(needed, row.siteId),
    async (db) => {
      let latest = { table: '', rows: 0, of: 1 }
      const dump = await dumpDatabase(db, (progress) => (latest = progress))
      const statements = async function* (): AsyncIterable<string> {
        for await (const statement of dump.statements) {
          signal.throwIfAborted()
          await tell((latest.rows / latest.of) * WRITTEN, `Writing ${latest.table}`)
          yield statement
        }
      }
      const path = localFile(needed, row.file)
      const built = await builtLike(db)
      const file = await writeSealedFile(path, sqlText(newEndMark(), statements()), known.recipient, signal)
      await set(needed, row.id, { written: file, tables: dump.tables, stage: 'written' })
      return { built, engine: db.engine, tables: dump.tables, sha256: file.sha256 }
    },
  )

/** Send the file off site, and get it back: only what is there counts. */
const send = async (needed: Needed, row: BackupRow, written: Written, tell: Tell): Promise<void> => {
  const path = localFile(needed, row.file)
  await tell(WRITTEN, 'Sending the backup off site')
  await withFiles(
    () => siteFiles(needed, row.siteId, 'backups'),
    async (files) => {
      await files.send(path, row.file)
      await tell((WRITTEN + SENT) / 2, 'Getting the backup back for the proof')
      await rm(path)
      await files.fetch(row.file, path)
    },
  )
  if ((await digestOfFile(path)) !== written.sha256)
    throw new FileFailure(
      'What is at the backup place is not what was sent: its digest differs. Check its disk, and make another backup.',
    )
  await set(needed, row.id, { stage: 'sent' })
}

/** An empty database: on the server that the owner names, else on this machine. @throws DatabaseFailure */
const openForProof = async (needed: Needed, siteId: string, engine: DatabaseEngine): Promise<OpenDatabase> => {
  const access = await proofServerOf(needed, siteId)
  if (access === undefined) return needed.scratch.open(engine)
  if (access.place.engine !== engine)
    throw new DatabaseFailure(
      `The server for the proof is ${WORDS[access.place.engine]}, and the database of the site is ${WORDS[engine]}: a backup of one cannot be restored on the other. Name another server under “Database connection”.`,
    )
  return openScratchOn(access, siteId)
}

const prove = async (
  needed: Needed,
  row: BackupRow,
  written: Written,
  known: KnownPlan,
  tell: Tell,
  signal: AbortSignal,
): Promise<NonNullable<Backup['proof']>> => {
  await tell(SENT, 'Starting an empty database for the proof')
  return withDatabase(
    () => openForProof(needed, row.siteId, written.engine),
    async (db) => {
      const rows = written.tables.reduce((sum, table) => sum + table.rows, 0)
      await restoreInto(
        db,
        statementsOf(linesOfSealedFile(localFile(needed, row.file), known.identity)),
        async (done) => {
          signal.throwIfAborted()
          await tell(Math.min(RESTORED, SENT + done / 10), 'Restoring the backup')
        },
      )
      await tell(RESTORED, 'Comparing all rows')
      const differences = await differencesOf(db, written.tables, written.built)
      const tables = written.tables.length === 1 ? 'one table' : `${written.tables.length} tables`
      return {
        at: needed.now().toISOString(),
        on: db.server,
        differences: differences.slice(0, 20),
        sentence:
          differences.length === 0
            ? `Restored on ${db.server}: ${rows.toLocaleString('en')} rows in ${tables}, all of them equal.`
            : `Restored on ${db.server}, and not equal: ${differences[0] ?? ''}`,
      }
    },
  )
}

/** Remove what is more than the owner wants to keep, the oldest first. Backups that clean-ups rest on are among the newest. */
const removeOld = async (needed: Needed, siteId: string, generations: number): Promise<void> => {
  const old = await needed.db
    .select()
    .from(databaseBackups)
    .where(and(eq(databaseBackups.siteId, siteId), inArray(databaseBackups.stage, ['proved', 'not-proved', 'sent'])))
    .orderBy(desc(databaseBackups.at))
    .offset(generations)
  if (old.length === 0) return
  await withFiles(
    () => siteFiles(needed, siteId, 'backups'),
    async (files) => {
      for (const row of old)
        try {
          await files.remove(row.file)
          await set(needed, row.id, { stage: 'removed' })
        } catch (error) {
          // It stays on the list, and is tried again after the next backup.
          if (!(error instanceof FileFailure)) throw error
        }
    },
  )
}

/** Back up the database: written, sent off site, got back, restored, compared. */
export const backupJob =
  (needed: Needed): JobHandler =>
  async (job, progress) => {
    const [row] = await needed.db.select().from(databaseBackups).where(eq(databaseBackups.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This backup is gone; make another one.')
    const known = await upkeepPlanOf(needed.db, job.siteId)
    const tell = percentTeller(progress)
    await mkdir(needed.upkeepFolder, { recursive: true, mode: 0o700 })
    progress.afterwards(async () => {
      await rm(localFile(needed, row.file), { force: true })
      needed.events.changed(job.siteId, 'upkeep')
    })
    try {
      const written = await write(needed, row, known, tell, progress.signal)
      needed.events.changed(job.siteId, 'upkeep')
      await send(needed, row, written, tell)
      const proof = await prove(needed, row, written, known, tell, progress.signal)
      await set(needed, row.id, { proof, stage: proof.differences.length === 0 ? 'proved' : 'not-proved' })
      await writeEntry(
        needed.db,
        job.siteId,
        { kind: 'upkeep', title: 'Database backed up', changes: [proof.sentence], by: row.by, decision: 'none' },
        needed.now(),
      )
      const media = await backUpMedia(needed, job.siteId, known, async (done, total, file) => {
        progress.signal.throwIfAborted()
        await tell(RESTORED + ((99 - RESTORED) * done) / Math.max(1, total), `Backing up ${file}`)
      })
      await set(needed, row.id, { media })
      await removeOld(needed, job.siteId, known.plan.generations)
      if (proof.differences.length > 0)
        throw new JobFailure(`${proof.sentence} No clean-up is possible with it. Please report this with what differs.`)
    } catch (error) {
      const isSentence =
        error instanceof DatabaseFailure || error instanceof FileFailure || error instanceof IncompleteDump
      const full = (error as NodeJS.ErrnoException).code === 'ENOSPC'
      if (full)
        throw new JobFailure('The disk of this machine is full. Make room in ZEST_DATA_DIR, and make another backup.')
      throw isSentence ? new JobFailure(error.message) : error
    }
  }
