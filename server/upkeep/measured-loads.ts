import { setTimeout as pause } from 'node:timers/promises'
import type { CleanUpLoads, WaitComparison } from '../../core/contracts/clean-up.ts'
import { DEFAULT_RUNS } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { compareLoads } from '../../core/upkeep/compare-loads.ts'
import { AppError } from '../errors/app-errors.ts'
import type { JobProgress } from '../jobs/job-queue.ts'
import { getMeasurement, orderMeasurement } from '../measuring/measurements.ts'

type Needed = Omit<Parameters<typeof orderMeasurement>[0], 'jobs'>

/** Pages of the sample that are loaded before and after. */
const MOST_PAGES = 2
const LOOK_EVERY_MS = 500
/** Something else may be measured first; longer than this it is not waited for, ms. */
const LONGEST_TURN_MS = 30 * 60_000

/** A measurement that has ended well, or why there is none. */
export type MeasuredLoads =
  { readonly kind: 'measured'; readonly id: string } | { readonly kind: 'not-measured'; readonly why: string }

/** One phone and one laptop: what is measured must not take longer than what it is about. */
const visitorsOf = ({ visitors }: Site): string[] =>
  (['phone', 'laptop'] as const).flatMap((device) => visitors.find((one) => one.device === device)?.id ?? [])

const ordered = async (needed: Needed, site: Site, by: string, { jobs, signal }: JobProgress) => {
  const order = {
    sides: ['origin' as const],
    pageIds: site.sample.slice(0, MOST_PAGES).map(({ id }) => id),
    visitorIds: visitorsOf(site),
    visit: 'first' as const,
    runs: DEFAULT_RUNS,
    stop: 'at-the-end' as const,
  }
  for (let waited = 0; ; waited += LOOK_EVERY_MS)
    try {
      return await orderMeasurement({ ...needed, jobs }, site.id, order, by)
    } catch (error) {
      if (!(error instanceof AppError) || error.status !== 409 || waited > LONGEST_TURN_MS) throw error
      await pause(LOOK_EVERY_MS, undefined, { signal })
    }
}

/**
 * Load pages of the sample from the site's own server in a browser, as a phone and as a laptop: in the lane of measurements, where nothing else is
 * measured at the same time.
 * @param earlier a measurement that was begun before a restart
 */
export const measureLoads = async (
  needed: Needed,
  site: Site,
  by: string,
  progress: JobProgress,
  begun: (id: string) => Promise<unknown>,
  earlier?: string | null,
): Promise<MeasuredLoads> => {
  if (site.sample.length === 0 || visitorsOf(site).length === 0)
    return { kind: 'not-measured', why: 'The sample has no pages to load.' }
  const { jobs, signal } = progress
  try {
    const id = earlier ?? (await ordered(needed, site, by, progress)).id
    await begun(id)
    for (;;) {
      const { state, error, jobId } = await getMeasurement(needed.db, site.id, id)
      if (state === 'done') return { kind: 'measured', id }
      if (state !== 'queued' && state !== 'running')
        return { kind: 'not-measured', why: error ?? 'The measurement was cancelled.' }
      await pause(LOOK_EVERY_MS, undefined, { signal }).catch(async (reason: unknown) => {
        await jobs.cancel(jobId)
        throw reason
      })
    }
  } catch (error) {
    if (error instanceof AppError) return { kind: 'not-measured', why: error.message }
    throw error
  }
}

/** What two measurements say of a clean-up between them. */
export const comparedLoads = async (
  { db }: Pick<Needed, 'db'>,
  site: Site,
  wait: WaitComparison | null,
  before: MeasuredLoads,
  after: MeasuredLoads,
): Promise<CleanUpLoads> => {
  if (before.kind === 'not-measured') return { before: null, after: null, pages: [], notMeasured: before.why }
  if (after.kind === 'not-measured') return { before: before.id, after: null, pages: [], notMeasured: after.why }
  const [earlier, later] = await Promise.all(
    [before.id, after.id].map(async (id) => (await getMeasurement(db, site.id, id)).runs),
  )
  const names = new Map(site.visitors.map(({ id, name }) => [id, name]))
  const pages = compareLoads(earlier ?? [], later ?? [], names, wait?.verdict ?? 'no-measurable-difference')
  const notMeasured = pages.length === 0 ? 'Too few loads succeeded to compare them.' : null
  return { before: before.id, after: after.id, pages, notMeasured }
}
