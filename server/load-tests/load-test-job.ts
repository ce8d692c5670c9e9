import { eq } from 'drizzle-orm'
import { setTimeout } from 'node:timers/promises'
import type { LoadCurve } from '../../core/contracts/load-tests.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { mostSteps, nextRate, secondsOf } from '../../core/load-test/rates.ts'
import { readCurve } from '../../core/load-test/read-curve.ts'
import type { HasDatabase } from '../db/database.ts'
import { loadTests } from '../db/load-tests-schema.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { edgesOfSite } from '../edges/own-edges.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { MadeUpVisitor } from '../privacy/made-up-visitor.ts'
import { getSite } from '../sites/sites.ts'
import type { HasLoadGenerator } from './load-generator.ts'
import type { HasLoadOrders } from './load-tests.ts'
import { loadWay } from './load-way.ts'

type Needed = HasDatabase & HasEvents & HasAddresses & HasEdges & HasLoadGenerator & HasLoadOrders
type Row = typeof loadTests.$inferSelect

/** A visitor waits this many times as long as the owner's bound before they leave: later answers are of no use to anybody. */
const PATIENCE = 3
const LEAST_PATIENCE_MS = 5000
/** After a rate that was too much what waits behind the server has to end, ms. */
const REST_MS = 2000

/** The cookies that visitors of a test come with. @throws JobFailure */
const cookieOf = async ({ loadOrders }: Needed, site: Site, row: Row, deliveryPort: number): Promise<string> => {
  if (!row.signedIn) return ''
  const order = loadOrders.of(row.id)
  if (order === undefined)
    throw new JobFailure(
      'Zest Lamp was restarted before this test ended, and sign-in data is not saved. Start the test again.',
    )
  const visitor = new MadeUpVisitor(site, deliveryPort)
  await visitor.signIn(order.path, order.how, 'signed-in')
  return visitor.cookie
}

/** Raise the rate at one target until it is too much or the owner's bound is reached; every step is kept at once. */
const testTarget = async (
  needed: Needed,
  row: Row,
  curve: LoadCurve,
  { site, cookie }: { readonly site: Site; readonly cookie: string },
  { signal }: JobProgress,
  keep: (curve: LoadCurve, now: string) => Promise<void>,
): Promise<void> => {
  const { loadGenerator, addresses } = needed
  const { bounds, pages, sameMachine } = row
  const way = await loadWay(curve.target, site, await edgesOfSite(needed, site.id), addresses, cookie)
  const steps = [...curve.steps]
  for (;;) {
    const next = nextRate(steps, bounds)
    if (next.kind === 'end') {
      const facts = { kind: curve.target.kind, sameMachine }
      await keep({ ...curve, steps, result: readCurve(steps, bounds, next.end, facts) }, `${curve.name}: done`)
      return
    }
    await keep({ ...curve, steps }, `${curve.name}: ${next.perSecond} visitors a second`)
    const step = await loadGenerator.hold(
      {
        way,
        pages,
        perSecond: next.perSecond,
        seconds: secondsOf(next.perSecond, bounds),
        patienceMs: Math.max(LEAST_PATIENCE_MS, PATIENCE * bounds.waitMs),
        seed: steps.length + 1,
      },
      signal,
    )
    steps.push(step)
    await keep({ ...curve, steps }, `${curve.name}: ${next.perSecond} visitors a second`)
    if (step.answered < step.visitors || (step.p95Ms ?? 0) > bounds.waitMs)
      await setTimeout(REST_MS, undefined, { signal })
  }
}

/** Find out how many visitors a second each target bears; goes on after the last step that was kept. */
export const loadTestJob =
  (needed: Needed): JobHandler =>
  async (job, progress) => {
    const { db, events, loadOrders, addresses } = needed
    const [row] = await db.select().from(loadTests).where(eq(loadTests.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This load test is gone; start another one.')
    progress.afterwards(async () => loadOrders.forget(row.id))
    const site = await getSite(needed, job.siteId)
    const cookie = await cookieOf(needed, site, row, addresses.deliveryPort)
    const curves = [...row.curves]
    const perTarget = mostSteps(row.bounds)
    const total = curves.length * perTarget
    const stepMs = row.bounds.stepS * 1000
    for (const [index, curve] of curves.entries()) {
      if (curve.result !== null) continue
      await testTarget(needed, row, curve, { site, cookie }, progress, async (known, now) => {
        curves[index] = known
        await db.update(loadTests).set({ curves }).where(eq(loadTests.id, row.id))
        events.changed(job.siteId, 'load-tests')
        const done = known.result === null ? Math.min(perTarget - 1, known.steps.length) : perTarget
        const all = index * perTarget + done
        await progress.report(all, total, now, (total - all) * stepMs)
      })
    }
  }
