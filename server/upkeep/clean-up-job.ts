import { mkdir, rm } from 'node:fs/promises'
import { createReadStream } from 'node:fs'
import { setTimeout as pause } from 'node:timers/promises'
import { eq } from 'drizzle-orm'
import type { CleanUpResult, GroupProgress } from '../../core/contracts/clean-up.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { UnknownInSchema, type DatabaseSchema } from '../../core/upkeep/database-schema.ts'
import { isBusierThanUsual } from '../../core/upkeep/busy-hours.ts'
import { compareWaits, type WaitSample } from '../../core/upkeep/compare-waits.ts'
import { minutesUntilQuiet } from '../../core/upkeep/quiet-hours.ts'
import { dialectOf, tableSql } from '../../core/upkeep/sql-dialect.ts'
import { siteDatabase, type HasDatabaseSecrets } from '../databases/database-connections.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { DatabaseFailure, type OpenDatabase } from '../databases/open-database.ts'
import { readSchema } from '../databases/read-schema.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import { cleanUps } from '../db/upkeep-schema.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import { FileFailure } from '../files/file-server.ts'
import { withFiles } from '../files/open-files.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { writeEntry } from '../release/ledger.ts'
import { getSite } from '../sites/sites.ts'
import { localFile, type HasUpkeepFolder } from './backups.ts'
import { cleanUpGroups, type CleanUpPace } from './clean-up-groups.ts'
import { RemovedFile } from './removed-file.ts'
import { sampleWaits, waitOnce } from './site-wait.ts'
import { comparedLoads, measureLoads, type MeasuredLoads } from './measured-loads.ts'
import { writeSealedFile } from './sql-file.ts'
import { digestOfSchema } from './surveys.ts'
import { upkeepPlanOf } from './upkeep-plan.ts'

type Needed = HasDatabase &
  HasDelivery &
  HasEdges &
  HasEvents &
  HasAddresses &
  HasClock &
  HasDatabaseSecrets &
  HasFileAccess &
  HasRecordings &
  HasUpkeepFolder
type Row = typeof cleanUps.$inferSelect

/** A site this much slower than before is busy: the clean-up waits. */
const BUSY = 1.5
const BUSY_MS = 50
const LOOK_EVERY_MS = 2000
const LONGEST_PAUSE_MS = 30_000
const MINUTE_MS = 60_000
const RECONNECTS = 5

/** Names of the files of a clean-up. */
export const removedFileName = (id: string): string => `removed-${id}.sql`
const sealedName = (id: string): string => `removed-${id}.sql.gz.age`

const NOT_MEASURED = { wait: null, loads: null }

/** One clean-up, from the first look at the site to the last. */
class CleanUpRun {
  readonly #needed: Needed
  readonly #row: Row
  readonly #site: Site
  readonly #progress: JobProgress
  #usualMs = Number.POSITIVE_INFINITY
  #lookedAt = 0

  constructor(needed: Needed, row: Row, site: Site, progress: JobProgress) {
    this.#needed = needed
    this.#row = row
    this.#site = site
    this.#progress = progress
  }

  #set(change: Partial<Row>): Promise<unknown> {
    return this.#needed.db.update(cleanUps).set(change).where(eq(cleanUps.id, this.#row.id))
  }

  /** A database that is being started again is waited for. */
  async #open(use: 'reading' | 'clean-up'): Promise<OpenDatabase> {
    for (let tries = 0; ; tries++)
      try {
        return await siteDatabase(this.#needed, this.#row.siteId, use)
      } catch (error) {
        const away = error instanceof DatabaseFailure && (error.reason === 'away' || error.reason === 'lost')
        if (!away || tries >= RECONNECTS) throw error
        await pause(500 * 2 ** tries, undefined, { signal: this.#progress.signal })
      }
  }

  /** @throws JobFailure when the database is not the one that was looked at */
  async #schema(): Promise<DatabaseSchema> {
    const schema = await withDatabase(() => this.#open('reading'), readSchema)
    if (digestOfSchema(schema) !== this.#row.order.schemaDigest)
      throw new JobFailure(
        'The tables of the database have changed since you looked at the groups. Look through it again, so that what goes is what you have seen.',
      )
    return schema
  }

  async #space(tables: ReadonlySet<string>): Promise<Record<string, number>> {
    const { tables: now } = await withDatabase(() => this.#open('reading'), readSchema)
    return Object.fromEntries(now.filter(({ name }) => tables.has(name)).map(({ name, bytes }) => [name, bytes]))
  }

  /** Waits while it is not the time for it. */
  async #whenQuiet(tell: (words: string) => Promise<void>): Promise<void> {
    const { signal } = this.#progress
    const { plan } = await upkeepPlanOf(this.#needed.db, this.#row.siteId)
    if (this.#row.order.start === 'quiet-hours' && plan.quiet !== null)
      for (;;) {
        const minutes = minutesUntilQuiet(plan.quiet, this.#needed.now())
        if (minutes === 0) break
        await tell(`Waiting for quiet hours, which begin at ${plan.quiet.from}`)
        await pause(Math.min(minutes, 1) * MINUTE_MS, undefined, { signal })
      }
    if (performance.now() - this.#lookedAt < LOOK_EVERY_MS) return
    for (let ms = LOOK_EVERY_MS; ; ms = Math.min(LONGEST_PAUSE_MS, ms * 2)) {
      const now = await waitOnce(this.#site)
      this.#lookedAt = performance.now()
      const isSlow = now !== undefined && now > this.#usualMs * BUSY + BUSY_MS
      if (!isSlow && !(await this.#isAskedALot())) return
      await tell(
        isSlow
          ? 'The site is busy: waiting until it answers as usual'
          : 'The site has more visitors than usual: waiting until there are fewer',
      )
      await pause(ms, undefined, { signal })
    }
  }

  /** By what delivery counts; where nothing goes through it, nothing is known. */
  async #isAskedALot(): Promise<boolean> {
    const traffic = await this.#needed.delivery.traffic(this.#row.siteId).catch(() => undefined)
    const live = traffic?.channels.find(({ channel }) => channel === 'live')
    return isBusierThanUsual(live?.course ?? [], this.#needed.now().getTime())
  }

  /** Pages in a browser, unless that was not wanted. */
  async #loads(words: string, done: number, earlier?: string | null): Promise<MeasuredLoads | undefined> {
    if (this.#row.order.loads === 'not-measured') return undefined
    await this.#progress.report(done, 100, words, null)
    const begun = async (id: string): Promise<void> => {
      if (done < 50) await this.#set({ loadsBefore: id })
    }
    return measureLoads(this.#needed, this.#site, this.#row.by, this.#progress, begun, earlier)
  }

  async #remove(schema: DatabaseSchema, file: RemovedFile): Promise<GroupProgress[]> {
    const { signal, report } = this.#progress
    const { groups } = this.#row.order
    const pace: CleanUpPace = {
      elapsed: () => performance.now(),
      pause: async (ms, until) => void (await pause(ms, undefined, { signal: until })),
      whenQuiet: (tell) => this.#whenQuiet(tell),
    }
    let told = 0
    return cleanUpGroups(groups, this.#row.progress, {
      ...{ pace, signal },
      open: () => this.#open('clean-up'),
      scope: { schema, now: this.#row.at },
      writeDown: (statements) => file.append(statements),
      told: async (progress, words) => {
        const ended = progress.every(({ state }) => state === 'done')
        if (performance.now() - told < 300 && !ended) return
        told = performance.now()
        await this.#set({ progress: [...progress] })
        const done = progress.filter(({ state }) => state === 'done').length
        const removed = progress.reduce((sum, one) => sum + one.removed, 0)
        await report(5 + Math.floor((80 * done) / groups.length), 100, `${words}: ${removed} so far`, null)
      },
    })
  }

  /** In the manner of the database: what was used by rows that are gone can be used again. */
  async #optimise(schema: DatabaseSchema, tables: ReadonlySet<string>): Promise<void> {
    await withDatabase(
      () => this.#open('clean-up'),
      async (db) => {
        const dialect = dialectOf(db.engine)
        for (const table of schema.tables) {
          if (!tables.has(table.name) || this.#progress.signal.aborted) continue
          await this.#progress.report(90, 100, `Optimising ${table.name}`, null)
          const statement =
            db.engine === 'postgresql'
              ? `vacuum (analyze) ${tableSql(dialect, table)}`
              : `optimize table ${tableSql(dialect, table)}`
          await db.run(statement).catch((error: unknown) => {
            // In use for longer than visitors should wait: the space is used again all the same, only later.
            const passes = error instanceof DatabaseFailure && (error.reason === 'locked' || error.reason === 'lost')
            if (!passes) throw error
          })
        }
      },
    )
  }

  /** Keep what was removed, encrypted, here and at the backup place. It may be done again as long as the plain file is there. */
  async #keep(): Promise<CleanUpResult['kept']> {
    const { recipient } = await upkeepPlanOf(this.#needed.db, this.#row.siteId)
    const plain = localFile(this.#needed, removedFileName(this.#row.id))
    const name = sealedName(this.#row.id)
    const sealed = localFile(this.#needed, name)
    const { bytes, sha256 } = await writeSealedFile(sealed, createReadStream(plain), recipient)
    const offSite = await withFiles(
      () => siteFiles(this.#needed, this.#row.siteId, 'backups'),
      (files) => files.send(sealed, name),
    ).then(
      () => true,
      (error: unknown) => {
        if (error instanceof FileFailure) return false
        throw error
      },
    )
    return { file: name, bytes, sha256, offSite }
  }

  /** What it was worth. The rows are gone by now: whoever stops here only does without the figures. */
  async #worth(
    before: WaitSample,
    loadsBefore: MeasuredLoads | undefined,
  ): Promise<Pick<CleanUpResult, 'wait' | 'loads'>> {
    const { signal, report } = this.#progress
    try {
      await report(94, 100, 'Measuring how long pages take now', null)
      const wait = compareWaits(before, await sampleWaits(this.#site, signal))
      const loadsAfter = await this.#loads('Loading the same pages once more', 96)
      if (loadsBefore === undefined || loadsAfter === undefined) return { wait, loads: null }
      return { wait, loads: await comparedLoads(this.#needed, this.#site, wait, loadsBefore, loadsAfter) }
    } catch (error) {
      if (signal.aborted) return NOT_MEASURED
      throw error
    }
  }

  async run(): Promise<CleanUpResult> {
    const { signal, report } = this.#progress
    const schema = await this.#schema()
    const touched = new Set(
      this.#row.order.groups.flatMap(({ table, referring }) => [
        table,
        ...referring.filter(({ treat }) => treat === 'remove').map((one) => one.table),
      ]),
    )
    // Waiting for its hours comes first: what is measured before is to be of the same hours as what is measured after.
    await this.#whenQuiet((words) => report(0, 100, words, null))
    const loadsBefore = await this.#loads('Loading pages as a phone and as a laptop', 1, this.#row.loadsBefore)
    await report(3, 100, 'Measuring how long pages take', null)
    const before = this.#row.waitBefore ?? (await sampleWaits(this.#site, signal))
    const spaceBefore = this.#row.spaceBefore ?? (await this.#space(touched))
    await this.#set({ waitBefore: before, spaceBefore })
    this.#usualMs = before.waits.length === 0 ? Number.POSITIVE_INFINITY : Math.max(...before.waits)
    const file = await RemovedFile.open(localFile(this.#needed, removedFileName(this.#row.id)))
    const progress = await this.#remove(schema, file).finally(() => file.close())
    await this.#set({ progress })
    const removed = progress.reduce((sum, one) => sum + one.removed + one.along, 0)
    const left = progress.reduce((sum, one) => sum + one.left, 0)
    const stopped = signal.aborted
    if (!stopped) await this.#optimise(schema, touched)
    const kept = await this.#keep()
    const { wait, loads } = stopped ? NOT_MEASURED : await this.#worth(before, loadsBefore)
    const after = await this.#space(touched)
    const stayed = left === 0 ? '' : ` ${left} stayed because they were in use, or something points to them.`
    return {
      removed,
      wait,
      loads,
      kept,
      space: [...touched].map((table) => ({ table, before: spaceBefore[table] ?? 0, after: after[table] ?? 0 })),
      sentence: `${stopped ? 'Stopped: ' : ''}${removed === 1 ? 'one row was' : `${removed.toLocaleString('en')} rows were`} removed.${stayed}${wait === null ? '' : ` ${wait.sentence}`}`,
    }
  }
}

/** Remove the rows of the groups that the owner has confirmed. */
export const cleanUpJob =
  (needed: Needed): JobHandler =>
  async (job, progress) => {
    const [row] = await needed.db.select().from(cleanUps).where(eq(cleanUps.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This clean-up is gone; order it again.')
    // All was done when the process ended.
    if (row.result !== null) return
    await mkdir(needed.upkeepFolder, { recursive: true, mode: 0o700 })
    progress.afterwards(async () => needed.events.changed(job.siteId, 'upkeep'))
    try {
      const site = await getSite(needed, job.siteId)
      const result = await new CleanUpRun(needed, row, site, progress).run()
      await needed.db.update(cleanUps).set({ result }).where(eq(cleanUps.id, row.id))
      // Only now: a clean-up that goes on after a restart seals the same rows again.
      await rm(localFile(needed, removedFileName(row.id)), { force: true })
      const changes = [
        result.sentence,
        ...(result.loads?.pages.map(({ sentence }) => sentence) ?? []),
        ...result.space.map(
          ({ table, before, after }) =>
            `${table}: ${Math.round(before / 1024)} kB before, ${Math.round(after / 1024)} kB after`,
        ),
      ]
      await writeEntry(
        needed.db,
        job.siteId,
        { kind: 'upkeep', title: job.title, changes, by: row.by, decision: 'none' },
        needed.now(),
      )
    } catch (error) {
      if (error instanceof DatabaseFailure || error instanceof UnknownInSchema) throw new JobFailure(error.message)
      if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
        throw new JobFailure(
          'The disk of this machine is full, so nothing more was removed: what goes must be written down first. Make room in ZEST_DATA_DIR.',
        )
      throw error
    }
  }
