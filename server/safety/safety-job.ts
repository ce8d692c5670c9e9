import { asc, desc, eq, inArray } from 'drizzle-orm'
import type { PageSafety, SafetyOrder } from '../../core/contracts/safety.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { Database } from '../db/database.ts'
import { safetyChecks, safetyPictures } from '../db/schema.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import { LabUnusable } from '../jobs/lab-client.ts'
import { stepEstimate } from '../jobs/step-estimate.ts'
import type { MeasureIo } from '../measuring/run-measurement.ts'
import { getTrial } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { makeReady } from '../measuring/candidate.ts'
import { Examiner } from './examine.ts'

/** Checks whose pictures are kept; what was found stays. */
const CHECKS_WITH_PICTURES = 12

const forgetOldPictures = async (db: Database, siteId: string): Promise<void> => {
  const all = await db
    .select({ id: safetyChecks.id })
    .from(safetyChecks)
    .where(eq(safetyChecks.siteId, siteId))
    .orderBy(desc(safetyChecks.at))
  const old = all.slice(CHECKS_WITH_PICTURES).map(({ id }) => id)
  if (old.length > 0) await db.delete(safetyPictures).where(inArray(safetyPictures.checkId, old))
}

/**
 * Look at every page of a check as every visitor; what is there already is not looked at again.
 * @param setup of the side that is checked
 */
export const checkPages = async (
  io: MeasureIo,
  site: Site,
  check: { readonly id: string; readonly order: SafetyOrder },
  setup: Setup,
  progress: JobProgress,
  examiner = new Examiner(io.lab, site, io.addresses),
): Promise<PageSafety[]> => {
  const { db, events } = io
  const { order, id } = check
  const read = async (): Promise<PageSafety[]> => {
    const [row] = await db.select({ pages: safetyChecks.pages }).from(safetyChecks).where(eq(safetyChecks.id, id))
    return row?.pages ?? []
  }
  const wanted = order.visitorIds.flatMap((visitorId) => order.pageIds.map((pageId) => ({ visitorId, pageId })))
  const estimate = stepEstimate(wanted.length)
  const journeys = site.journeys.filter((journey) => order.journeyIds.includes(journey.id))
  for (const [index, { visitorId, pageId }] of wanted.entries()) {
    if (progress.signal.aborted) break
    const pages = await read()
    if (pages.some((one) => one.pageId === pageId && one.visitorId === visitorId)) continue
    const page = site.sample.find((one) => one.id === pageId)
    const visitor = site.visitors.find((one) => one.id === visitorId)
    if (page === undefined || visitor === undefined) continue
    await progress.report(
      index,
      wanted.length,
      `Comparing ${page.path} as “${visitor.name}”, before and after`,
      estimate.left(index),
    )
    await makeReady(io, site, order.to, page.path, visitor.device, progress, [index, wanted.length])
    const { safety, pictures } = await examiner.examine({
      from: order.from,
      to: order.to,
      page,
      visitor,
      // Once for each visitor is enough: journeys go their own way.
      journeys: pageId === order.pageIds[0] ? journeys : [],
      replaced: setup.remedies.stillVideo.enabled ? 'frames' : 'nothing',
      signal: progress.signal,
    })
    if (progress.signal.aborted) break
    await db.transaction(async (tx) => {
      await tx
        .update(safetyChecks)
        .set({ pages: [...pages, safety] })
        .where(eq(safetyChecks.id, id))
      if (pictures !== undefined)
        await tx
          .insert(safetyPictures)
          .values({ checkId: id, pageId, visitorId, ...pictures })
          .onConflictDoNothing()
    })
    events.changed(site.id, 'safety')
  }
  await forgetOldPictures(db, site.id)
  return read()
}

/** The check of a trial, ordered by its owner. */
export const safetyJob =
  (io: MeasureIo): JobHandler =>
  async (job, progress) => {
    const [check] = await io.db
      .select()
      .from(safetyChecks)
      .where(eq(safetyChecks.id, job.subjectId))
      .orderBy(asc(safetyChecks.at))
    if (check === undefined) throw new JobFailure('The check was removed.')
    const site = await getSite(io, check.siteId)
    const { setup } = await getTrial(io, check.siteId)
    try {
      await checkPages(io, site, check, setup, progress)
    } catch (error) {
      if (error instanceof LabUnusable)
        throw new JobFailure(`${error.message} Without a browser nobody can say whether pages look the same.`)
      throw error
    }
  }
