import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { and, asc, eq, inArray } from 'drizzle-orm'
import type { Frame, Side } from '../../core/contracts/measuring.ts'
import type { Report } from '../../core/contracts/report.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import { beforeAndAfter, composeReport } from '../../core/report/compose-report.ts'
import { clockSteps, shownAt } from '../../core/measuring/filmstrip.ts'
import type { Database } from '../db/database.ts'
import { frames, runs } from '../db/schema.ts'
import { siteFindings } from '../measuring/findings.ts'
import { latestResultsOf } from '../measuring/latest-results.ts'
import { listSafetyChecks } from '../safety/safety-checks.ts'
import { listLedger } from '../release/ledger.ts'
import { setupDigest } from '../release/setup-digest.ts'
import { getTrial, liveSetup } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'

/** Pictures of each strip. */
const STRIP = 6

/** First views of a side as a visitor saw them, in the load that was looked at closely. */
const framesOf = async (
  db: Database,
  measurementId: string,
  { pageId, visitorId }: { pageId: string; visitorId: string },
  sides: readonly Side[],
): Promise<Frame[]> => {
  const found = await db
    .select({ atMs: frames.atMs, jpeg: frames.jpeg })
    .from(frames)
    .innerJoin(runs, eq(runs.id, frames.runId))
    .where(
      and(
        eq(runs.measurementId, measurementId),
        eq(runs.pageId, pageId),
        eq(runs.visitorId, visitorId),
        inArray(runs.side, [...sides]),
      ),
    )
    .orderBy(asc(frames.atMs))
  return found
}

/** The same instants of both strips. */
const strips = (before: readonly Frame[], after: readonly Frame[]): { before: Frame[]; after: Frame[] } | null => {
  const [last, lastAfter] = [before.at(-1), after.at(-1)]
  if (last === undefined || lastAfter === undefined) return null
  const steps = clockSteps(Math.max(last.atMs, lastAfter.atMs), STRIP)
  const at = (strip: readonly Frame[]): Frame[] =>
    steps.flatMap((atMs) => {
      const shown = shownAt(strip, atMs)
      return shown === undefined ? [] : [{ atMs, jpeg: shown.jpeg }]
    })
  return { before: at(before), after: at(after) }
}

/**
 * Before and after of a site for a client: the origin beside what visitors get, or beside what they would get.
 * @throws AppError NOT_FOUND
 */
export const makeReport = async (
  services: HasDatabase & HasAddresses & HasClock,
  siteId: string,
  state: Report['state'],
): Promise<Report> => {
  const { db, now } = services
  const site = await getSite(services, siteId)
  const live = await liveSetup(db, siteId)
  const trial = await getTrial(services, siteId)
  const setup = state === 'trial' ? trial.setup : live.setup
  const standings = await latestResultsOf(services, siteId)
  const digest = setupDigest(setup)
  const [check] = (await listSafetyChecks(services, siteId)).filter(
    ({ state: ended, result, setupDigest: of }) => ended === 'done' && result !== null && of === digest,
  )
  const report = composeReport({
    site,
    madeAt: now().toISOString(),
    state,
    version: state === 'live' ? live.number : null,
    standings,
    ledger: await listLedger(db, siteId),
    findings: await siteFindings(services, siteId).catch(() => null),
    safety:
      check === undefined || check.result === null
        ? null
        : {
            result: check.result,
            sentence: check.pages.find(({ result }) => result === check.result)?.sentence ?? '',
            at: check.at,
          },
    inForce: setupChanges(emptySetup(), setup).map(({ sentence }) => sentence),
    on: Object.entries(setup.remedies).flatMap(([id, { enabled }]) => (enabled ? [id] : [])),
  })
  const pages: Report['pages'] = []
  for (const page of report.pages) {
    const standing = standings.find((one) => one.path === page.path && one.visitorName === page.visitorName)!
    const { then, now: since } = beforeAndAfter(standing, state)
    const before = await framesOf(db, then!.measurementId, standing, standing.origin === null ? ['live'] : ['origin'])
    const after = await framesOf(
      db,
      since!.measurementId,
      standing,
      state === 'trial' && standing.trial !== null ? ['trial', 'candidate'] : ['live', 'trial', 'candidate'],
    )
    pages.push({ ...page, frames: strips(before, after) })
  }
  return { ...report, pages }
}
