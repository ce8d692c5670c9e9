import { and, asc, desc, eq, inArray } from 'drizzle-orm'
import { JobKind, type Job } from '../../core/contracts/jobs.ts'
import type { Database } from '../db/database.ts'
import { jobs } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { EventBus } from '../live/event-bus.ts'

/** How a job tells how far it is. */
export interface JobProgress {
  readonly jobId: string
  /** To order work of another lane, and to wait for it. */
  readonly jobs: JobQueue
  readonly signal: AbortSignal
  /** @param now what is being done, in words */
  report(done: number, total: number, now: string, msLeft: number | null): Promise<void>
  /** Offer to skip what is being waited for, in the words of a button; null: no more. @returns whether it was asked for, from then on always */
  offerSkip(words: string | null): boolean
  /** What is to be done once the job has ended, however it did. */
  afterwards(act: () => Promise<void>): void
}

/** Does the work of one kind of job; resumes from what the database holds when it is called again after a restart. */
export type JobHandler = (job: Job, progress: JobProgress) => Promise<void>

/** The sentence is shown; anything else that is thrown is logged as well. */
export class JobFailure extends Error {}

type JobRow = typeof jobs.$inferSelect

const toJob = ({ cancelRequested: _asked, createdAt, finishedAt, ...row }: JobRow, skip: string | null): Job => ({
  ...row,
  skip,
  createdAt: createdAt.toISOString(),
  finishedAt: finishedAt?.toISOString() ?? null,
})

type NewJob = Pick<Job, 'siteId' | 'kind' | 'title' | 'subjectId' | 'total'>

const insertJob = async (db: Database, job: NewJob, id: string): Promise<JobRow> => {
  const [row] = await db
    .insert(jobs)
    .values({ id, ...job, state: 'queued', done: 0, now: 'Waiting', createdAt: new Date() })
    .returning()
  return row!
}

/**
 * Jobs of one lane run one after the other: what measures has the machine to itself. A warm-up waits for the origin most of the time, and pauses by
 * itself while its site is measured.
 */
const LANES = [
  'measuring',
  'warming',
  'filling',
  'certificates',
  'live-checks',
  'upkeep',
  'pictures',
  'server-pages',
] as const
type Lane = (typeof LANES)[number]
/** Never two of them at once: a backup sees no clean-up, two clean-ups do not meet, and none is behind a wait that is measured. */
const UPKEEP: ReadonlySet<JobKind> = new Set<JobKind>([
  'database-survey',
  'database-backup',
  'clean-up',
  'database-restore',
  'habits-look',
])
/** Beside the database, but never two of them at once: they work on the same pictures. */
const PICTURES: ReadonlySet<JobKind> = new Set<JobKind>(['picture-survey', 'picture-conversion', 'picture-placing'])
const laneOf = (kind: JobKind): Lane => {
  if (kind === 'warm-up') return 'warming'
  if (kind === 'certificate') return 'certificates'
  if (kind === 'live-check') return 'live-checks'
  if (kind === 'server-pages') return 'server-pages'
  if (UPKEEP.has(kind)) return 'upkeep'
  if (PICTURES.has(kind)) return 'pictures'
  return kind === 'objects-fill' ? 'filling' : 'measuring'
}
/** What is said when something of a lane is under way already. */
const UNDER_WAY: Record<Lane, () => Error> = {
  measuring: errors.measuring,
  warming: errors.measuring,
  filling: errors.measuring,
  certificates: errors.gettingCertificate,
  'live-checks': errors.liveCheckUnderWay,
  upkeep: errors.upkeepUnderWay,
  pictures: errors.picturesUnderWay,
  'server-pages': errors.serverPagesUnderWay,
}
const kindsOf = (lane: Lane): JobKind[] => JobKind.options.filter((kind) => laneOf(kind) === lane)

/** Jobs that wait for their turn too, but keep nobody from ordering others of their lane. */
const excludesOthers = (kind: JobKind): boolean => kind !== 'simulation' && kind !== 'objects-fill'

/** Whether a site has a job of a lane that has not ended, and that nothing else may run beside. */
export const hasOpenJob = async (db: Database, siteId: string, lane: Lane): Promise<boolean> => {
  const [open] = await db
    .select({ id: jobs.id })
    .from(jobs)
    .where(
      and(
        eq(jobs.siteId, siteId),
        inArray(jobs.state, ['queued', 'running']),
        inArray(jobs.kind, kindsOf(lane).filter(excludesOthers)),
      ),
    )
    .limit(1)
  return open !== undefined
}

/** Whether work of a lane is being done on this machine, for whatever site. */
export const isLaneBusy = async (db: Database, lane: Lane): Promise<boolean> => {
  const [running] = await db
    .select({ id: jobs.id })
    .from(jobs)
    .where(and(eq(jobs.state, 'running'), inArray(jobs.kind, kindsOf(lane).filter(excludesOthers))))
    .limit(1)
  return running !== undefined
}

interface Running {
  readonly id: string
  readonly cancel: AbortController
  readonly done: Promise<void>
  /** What may be skipped, and whether that was asked for. */
  skip: { readonly words: string | null; readonly asked: boolean }
}

/** Jobs in the database, worked off one after the other: one measurement at a time on the machine. */
export class JobQueue {
  readonly #db: Database
  readonly #events: EventBus
  readonly #handlers: Record<JobKind, JobHandler>
  readonly #log: (error: unknown) => void
  readonly #running = new Map<Lane, Running>()
  readonly #work = new Map<Lane, Promise<void>>()
  #closed = false

  constructor(db: Database, events: EventBus, handlers: Record<JobKind, JobHandler>, log: (error: unknown) => void) {
    this.#db = db
    this.#events = events
    this.#handlers = handlers
    this.#log = log
  }

  /** Take up what an earlier process left: running jobs go on where they were, cancelled ones end. */
  async start(): Promise<void> {
    await this.#db.update(jobs).set({ state: 'queued' }).where(eq(jobs.state, 'running'))
    for (const lane of LANES) this.#kick(lane)
  }

  /**
   * Queue a job together with what it is about: both are written, or neither.
   * @param write puts down what the job works on
   * @throws AppError MEASUREMENT_UNDER_WAY when the site has a job that has not ended, whoever ordered it a moment ago
   */
  async order(job: NewJob, id: string, write: (tx: Database) => Promise<unknown>): Promise<Job> {
    const row = await this.#db.transaction(async (tx) => {
      if (await hasOpenJob(tx, job.siteId, laneOf(job.kind))) throw UNDER_WAY[laneOf(job.kind)]()
      await write(tx)
      return insertJob(tx, job, id)
    })
    return this.#begin(row)
  }

  /** Queue a job that works on nothing but the site, behind all others. */
  async add(job: NewJob, id: string): Promise<Job> {
    return this.#begin(await insertJob(this.#db, job, id))
  }

  #begin(row: JobRow): Job {
    this.#events.job(this.#toJob(row))
    this.#kick(laneOf(row.kind))
    return this.#toJob(row)
  }

  async list(): Promise<Job[]> {
    const rows = await this.#db.select().from(jobs).orderBy(desc(jobs.createdAt)).limit(50)
    return rows.map((row) => this.#toJob(row))
  }

  async get(id: string): Promise<Job | undefined> {
    const [row] = await this.#db.select().from(jobs).where(eq(jobs.id, id))
    return row === undefined ? undefined : this.#toJob(row)
  }

  /** @returns false when the job has ended already */
  async cancel(id: string): Promise<boolean> {
    const job = await this.get(id)
    if (job === undefined || (job.state !== 'queued' && job.state !== 'running')) return false
    await this.#db.update(jobs).set({ cancelRequested: true }).where(eq(jobs.id, id))
    const running = this.#runningWith(id)
    if (running === undefined) await this.#end(id, 'cancelled', null)
    else running.cancel.abort()
    return true
  }

  /** Skip what a job waits for. @returns false when it waits for nothing that may be skipped */
  async skip(id: string): Promise<boolean> {
    const running = this.#runningWith(id)
    if (running === undefined || running.skip.words === null) return false
    running.skip = { words: null, asked: true }
    const job = await this.get(id)
    if (job !== undefined) this.#events.job(job)
    return true
  }

  #toJob(row: JobRow): Job {
    return toJob(row, this.#runningWith(row.id)?.skip.words ?? null)
  }

  /** Resolves when a job that was cancelled has let go of everything. */
  async ended(id: string): Promise<void> {
    await this.#runningWith(id)?.done
  }

  /** Resolves when nothing is queued or running any more. */
  async idle(): Promise<void> {
    await Promise.all(this.#work.values())
  }

  async close(): Promise<void> {
    this.#closed = true
    for (const { cancel } of this.#running.values()) cancel.abort()
    await this.idle()
  }

  #runningWith(id: string): Running | undefined {
    return [...this.#running.values()].find((one) => one.id === id)
  }

  #kick(lane: Lane): void {
    const before = this.#work.get(lane) ?? Promise.resolve()
    this.#work.set(lane, before.then(() => this.#workOff(lane)).catch(this.#log))
  }

  async #workOff(lane: Lane): Promise<void> {
    while (!this.#closed) {
      const [row] = await this.#db
        .select()
        .from(jobs)
        .where(and(eq(jobs.state, 'queued'), inArray(jobs.kind, kindsOf(lane))))
        .orderBy(asc(jobs.createdAt))
        .limit(1)
      if (row === undefined) return
      await this.#run(row, lane)
    }
  }

  async #run(row: JobRow, lane: Lane): Promise<void> {
    const cancel = new AbortController()
    const afterwards: (() => Promise<void>)[] = []
    let finished = (): void => undefined
    const done = new Promise<void>((resolve) => (finished = resolve))
    const running: Running = { id: row.id, cancel, done, skip: { words: null, asked: false } }
    this.#running.set(lane, running)
    try {
      if (row.cancelRequested) return await this.#end(row.id, 'cancelled', null)
      await this.#update(row.id, { state: 'running' })
      await this.#handlers[row.kind](this.#toJob(row), {
        jobId: row.id,
        jobs: this,
        signal: cancel.signal,
        report: (done, total, now, msLeft) => this.#update(row.id, { done, total, now, msLeft }),
        offerSkip: (words) => {
          running.skip = { ...running.skip, words }
          return running.skip.asked
        },
        afterwards: (act) => void afterwards.push(act),
      })
      // Stopped with the process, not by its owner: it stays as it is and goes on after the restart.
      if (cancel.signal.aborted && this.#closed) return
      await this.#end(row.id, cancel.signal.aborted ? 'cancelled' : 'done', null)
    } catch (error) {
      if (cancel.signal.aborted) return this.#closed ? undefined : await this.#end(row.id, 'cancelled', null)
      if (!(error instanceof JobFailure)) this.#log(error)
      await this.#end(row.id, 'failed', (error as Error).message)
    } finally {
      for (const act of afterwards) await act().catch(this.#log)
      this.#running.delete(lane)
      finished()
    }
  }

  async #update(id: string, change: Partial<JobRow>): Promise<void> {
    const [row] = await this.#db.update(jobs).set(change).where(eq(jobs.id, id)).returning()
    if (row !== undefined) this.#events.job(this.#toJob(row))
  }

  #end(id: string, state: Job['state'], error: string | null): Promise<void> {
    return this.#update(id, { state, error, msLeft: null, finishedAt: new Date() })
  }

  /** Whether a site is being measured or checked, or waits for it. */
  hasOpen(siteId: string): Promise<boolean> {
    return hasOpenJob(this.#db, siteId, 'measuring')
  }
}

/** For whoever orders work. */
export interface HasJobs {
  readonly jobs: JobQueue
}
