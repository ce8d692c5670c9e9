import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasObjects } from '../../objects/control/client.ts'
import { Switchback } from './switchback.ts'
import { and, eq } from 'drizzle-orm'
import type { MeasurementOrder, MeasurementSource } from '../../core/contracts/measurements.ts'
import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { SamplePage, Site } from '../../core/contracts/sites.ts'
import { criticalBytes } from '../../core/model/critical-bytes.ts'
import { floorMs } from '../../core/model/floor.ts'
import { planRuns, runName, type PlannedRun } from '../../core/measuring/plan.ts'
import { sideWords } from '../../core/measuring/sides.ts'
import { isDecided } from '../../core/measuring/summary.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { frames, measurements, requests, runs } from '../db/schema.ts'
import type { EventBus } from '../live/event-bus.ts'
import type { JobProgress } from '../jobs/job-queue.ts'
import { LabUnusable, type LabClient } from '../jobs/lab-client.ts'
import { resultOf } from './measurements.ts'
import { predictedRun } from './predicted-run.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { edgesOfSite } from '../edges/own-edges.ts'
import { runOrder } from './run-order.ts'
import { waitForTransforms } from './wait-for-transforms.ts'

/** After so many failures of one page for one visitor the rest of its runs are left out: they would only take time. */
const MOST_FAILURES = 2

/** What a measuring job needs; the queue itself is made from it. */
export type MeasureIo = HasDatabase &
  HasAddresses &
  HasPublisher &
  HasDelivery &
  HasEdges &
  HasObjects & {
    readonly events: EventBus
    readonly lab: LabClient
  }

const floorOf = (outcome: RunOutcome, { visitor, url }: Pick<RunOrder, 'visitor' | 'url'>): number | null => {
  if (outcome.kind === 'failed') return null
  const critical = criticalBytes(outcome.requests, outcome.metrics)
  if (critical === undefined) return null
  const link = { roundTripMs: visitor.roundTripMs, downBitsPerS: visitor.downKbps * 1000 }
  return floorMs(critical, link, url.startsWith('https:') ? 'https' : 'http')
}

/** Run, requests and frames are written together, so that a restart finds whole runs only. */
export const writeRun = async (
  db: Database,
  measurementId: string,
  planned: PlannedRun,
  page: SamplePage,
  order: Pick<RunOrder, 'visitor' | 'url' | 'visit'>,
  outcome: RunOutcome,
): Promise<void> => {
  const id = newId()
  const measured = outcome.kind === 'measured'
  await db.transaction(async (tx) => {
    await tx.insert(runs).values({
      id,
      measurementId,
      pageId: page.id,
      path: page.path,
      pageKind: page.kind,
      visitorId: order.visitor.id,
      visitor: order.visitor,
      side: planned.side,
      visit: order.visit,
      pair: planned.pair,
      purpose: planned.purpose,
      at: new Date(),
      metrics: measured ? outcome.metrics : null,
      floorMs: floorOf(outcome, order),
      failure: measured ? null : outcome.why,
      details: measured ? outcome.details : null,
    })
    if (measured && outcome.requests.length > 0)
      await tx.insert(requests).values(outcome.requests.map((record, position) => ({ runId: id, position, record })))
    if (measured && outcome.frames.length > 0)
      await tx.insert(frames).values(outcome.frames.map((frame) => ({ runId: id, ...frame })))
  })
}

const failuresBefore = async (
  db: Database,
  measurementId: string,
  { pageId, visitorId, side }: PlannedRun,
): Promise<number> => {
  const own = await db
    .select({ failure: runs.failure })
    .from(runs)
    .where(
      and(
        eq(runs.measurementId, measurementId),
        eq(runs.pageId, pageId),
        eq(runs.visitorId, visitorId),
        eq(runs.side, side),
      ),
    )
  return own.filter(({ failure }) => failure !== null).length
}

const words = ({ side, pair, purpose }: PlannedRun, path: string, visitor: string, most: number): string => {
  const what = { fill: 'warm-up', count: `run ${pair} of at most ${most}`, look: 'detailed load' }[purpose]
  return `${path} ${sideWords(side)} as “${visitor}”, ${what}`
}

/** Milliseconds left, from how long runs took so far in this process. */
const estimate = (took: readonly number[], left: number): number | null =>
  took.length === 0 ? null : (took.reduce((sum, ms) => sum + ms, 0) / took.length) * left

/** Pages as visitors that need no more pairs; asked again only when a pair has been completed. */
class Decided {
  readonly #db: Database
  readonly #measurement: { id: string; order: MeasurementOrder }
  readonly #done = new Map<string, { pair: number; decided: boolean }>()

  constructor(db: Database, measurement: { id: string; order: MeasurementOrder }) {
    this.#db = db
    this.#measurement = measurement
  }

  async has({ pageId, visitorId, pair }: PlannedRun): Promise<boolean> {
    const { id, order } = this.#measurement
    const key = `${visitorId} ${pageId}`
    const known = this.#done.get(key)
    if (known !== undefined && (known.decided || known.pair === pair)) return known.decided
    const result = await resultOf(this.#db, id, order, pageId, visitorId)
    const decided = result !== undefined && isDecided(result)
    this.#done.set(key, { pair, decided })
    return decided
  }
}

/** Loads pages in the browser; where there is none, by the load model from fetched pages, marked as predicted from then on. */
class Loader {
  readonly #io: MeasureIo
  readonly #measurement: typeof measurements.$inferSelect
  #source: MeasurementSource

  constructor(io: MeasureIo, measurement: typeof measurements.$inferSelect) {
    this.#io = io
    this.#measurement = measurement
    this.#source = measurement.source
  }

  /** A prediction says the same every time: once is enough. */
  needs({ purpose, pair }: PlannedRun): boolean {
    return this.#source !== 'predicted' || (purpose === 'count' && pair === 1)
  }

  /** @returns undefined when there turns out to be no browser, and the load is not needed without one */
  async load(site: Site, planned: PlannedRun, order: RunOrder, signal: AbortSignal): Promise<RunOutcome | undefined> {
    if (this.#source !== 'predicted') {
      try {
        return await this.#io.lab.run(order, signal)
      } catch (error) {
        if (!(error instanceof LabUnusable)) throw error
        this.#source = 'predicted'
        await this.#io.db
          .update(measurements)
          .set({ source: 'predicted' })
          .where(eq(measurements.id, this.#measurement.id))
      }
    }
    if (!this.needs(planned)) return undefined
    const hosts = new Set([new URL(site.address).host, new URL(order.url).host, ...site.hosts.added])
    return predictedRun(order, { privateAddresses: site.hosts.privateAddresses, hosts })
  }
}

/** Make all loads of a measurement that are not there yet, one after the other; stops early where that is clear, or when it is told to. */
/** Take down that a page was measured before all of it was ready. */
const noteNotReady = async (db: Database, id: string, path: string): Promise<void> => {
  const [row] = await db.select({ notReady: measurements.notReady }).from(measurements).where(eq(measurements.id, id))
  const notReady = [...new Set([...(row?.notReady ?? []), path])]
  await db.update(measurements).set({ notReady }).where(eq(measurements.id, id))
}

/** Without such loads nothing is ever spent. @param made loads from before a restart */
const switchbackOf = (
  { objects }: HasObjects,
  { siteId, order }: typeof measurements.$inferSelect,
  made: readonly (typeof runs.$inferSelect)[],
): Switchback => {
  const spentMs = made
    .filter(({ side }) => side === 'without-objects')
    .reduce((sum, { metrics }) => sum + (metrics?.loadedMs ?? 0), 0)
  return new Switchback(objects, siteId, order.missS === undefined ? Infinity : order.missS * 1000, spentMs)
}

export const runMeasurement = async (
  io: MeasureIo,
  site: Site,
  measurement: typeof measurements.$inferSelect,
  progress: JobProgress,
): Promise<void> => {
  const { db } = io
  const loader = new Loader(io, measurement)
  const { order } = measurement
  const plan = planRuns(order)
  const made = await db.select().from(runs).where(eq(runs.measurementId, measurement.id))
  const done = new Set(made.map(runName))
  const decided = new Decided(db, measurement)
  const took: number[] = []
  const switchback = switchbackOf(io, measurement, made)
  for (const [index, planned] of plan.entries()) {
    if (progress.signal.aborted) return
    if (done.has(runName(planned)) || !loader.needs(planned)) continue
    const page = site.sample.find(({ id }) => id === planned.pageId)
    const visitor = site.visitors.find(({ id }) => id === planned.visitorId)
    if (page === undefined || visitor === undefined) continue
    if ((await failuresBefore(db, measurement.id, planned)) >= MOST_FAILURES) continue
    if (switchback.isSpent || (planned.purpose === 'look' && planned.side === 'without-objects')) continue
    if (planned.purpose === 'count' && planned.pair > 1 && (await decided.has(planned))) continue
    const edges = planned.side === 'through-edges' ? await edgesOfSite(io, site.id) : []
    const load = runOrder(site, order, planned, page, visitor, io.addresses, edges)
    await progress.report(
      index,
      plan.length,
      words(planned, page.path, visitor.name, order.runs),
      estimate(took, plan.length - index),
    )
    const startedAt = performance.now()
    const once = (): Promise<RunOutcome | undefined> => loader.load(site, planned, load, progress.signal)
    const outcome = planned.side === 'without-objects' ? await switchback.window(load.timeoutMs, once) : await once()
    if (outcome === undefined) continue
    took.push(performance.now() - startedAt)
    // What this load has set going behind its back is finished first; then once more, for what the finished page asks for.
    if (planned.purpose === 'fill') {
      const first = await waitForTransforms(io, site.id, progress, index, plan.length)
      if (first === 'waited') await loader.load(site, planned, load, progress.signal)
      const then = first === 'waited' ? await waitForTransforms(io, site.id, progress, index, plan.length) : first
      if (then === 'not-ready') await noteNotReady(db, measurement.id, page.path)
    }
    await writeRun(db, measurement.id, planned, page, load, outcome)
    io.events.changed(site.id, 'measurements')
  }
  await progress.report(plan.length, plan.length, 'Comparing', 0)
}
