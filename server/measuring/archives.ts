import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { ZodError } from 'zod'
import type { MeasurementHead, MeasurementOrder } from '../../core/contracts/measurements.ts'
import type { VisitorProfile } from '../../core/contracts/measuring.ts'
import { fromHar, HarFile, type HarLoad } from '../../core/formats/har.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { jobs, measurements } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { liveSetup } from '../release/setups.ts'
import { setupDigest } from '../release/setup-digest.ts'
import { getSite } from '../sites/sites.ts'
import { writeRun } from './run-measurement.ts'
import { measurementHead } from './measurements.ts'

const read = (file: unknown): HarLoad => {
  try {
    return fromHar(HarFile.parse(file))
  } catch (error) {
    if (error instanceof RangeError) throw errors.badArchive(error.message)
    if (!(error instanceof ZodError)) throw error
    const [issue] = error.issues
    const where = issue?.path.join('.') ?? ''
    throw errors.badArchive(
      `${where === '' ? 'The file' : where}: ${issue?.message ?? 'It is no archive.'} Export it again as HTTP Archive 1.2.`,
    )
  }
}

/** The archive does not say who the visitor was: name and screen are those of the laptop, the link is not known. */
const someone = (creator: string): VisitorProfile => ({
  ...DEFAULT_VISITORS.find(({ device }) => device === 'laptop')!,
  id: 'archive',
  name: creator === '' ? 'Imported archive' : creator.slice(0, 80),
})

/** PostgreSQL: data that no column can take, such as NUL in a text (class 22). */
const isDataProblem = (error: unknown): boolean => {
  const { code, cause } = error as { code?: unknown; cause?: unknown }
  return (typeof code === 'string' && code.startsWith('22')) || (cause !== undefined && isDataProblem(cause))
}

/** All of it is written down, or nothing. @throws AppError BAD_ARCHIVE */
const keepWhole = (db: Database, write: (tx: Database) => Promise<void>): Promise<void> =>
  db
    .transaction((tx) => write(tx))
    .catch((error: unknown) => {
      if (!isDataProblem(error)) throw error
      throw errors.badArchive('It contains a text or number that cannot be saved. Export it again as HTTP Archive 1.2.')
    })

/**
 * Make a measurement of an archive from anybody's browser: its waterfall, and predictions from it.
 * @throws AppError NOT_FOUND, BAD_ARCHIVE
 */
export const readArchive = async (
  services: HasDatabase & HasEvents & HasAddresses & HasClock,
  siteId: string,
  file: unknown,
  by: string,
): Promise<MeasurementHead> => {
  const { db, now, events } = services
  const site = await getSite(services, siteId)
  const load = read(file)
  const url = new URL(load.url)
  const page = site.sample.find(({ path }) => path === url.pathname + url.search) ?? {
    id: 'archive',
    path: url.pathname + url.search,
    kind: load.title || 'Archive',
  }
  const visitor = someone(load.creator)
  const order: MeasurementOrder = {
    sides: ['archive'],
    pageIds: [page.id],
    visitorIds: [visitor.id],
    visit: 'first',
    runs: 1,
    stop: 'at-the-end',
  }
  const { setup, number } = await liveSetup(db, siteId)
  const [id, jobId] = [newId(), newId()]
  await keepWhole(db, async (tx) => {
    await tx.insert(jobs).values({
      id: jobId,
      siteId,
      kind: 'measure',
      title: `Reading an archive of ${url.host}`,
      subjectId: id,
      state: 'done',
      done: 1,
      total: 1,
      now: '',
      createdAt: now(),
      finishedAt: now(),
    })
    const digest = setupDigest(setup)
    await tx.insert(measurements).values({
      id,
      siteId,
      jobId,
      order,
      liveVersion: number,
      changes: [],
      setups: { live: digest, trial: digest },
      createdAt: now(),
      by,
      source: 'archive',
    })
    await writeRun(
      tx,
      id,
      { pageId: page.id, visitorId: visitor.id, side: 'archive', purpose: 'count', pair: 1 },
      page,
      { visitor, url: load.url, visit: 'first' },
      { kind: 'measured', metrics: load.metrics, requests: [...load.requests], details: null, frames: [] },
    )
  })
  events.changed(siteId, 'measurements')
  return measurementHead(db, siteId, id)
}
