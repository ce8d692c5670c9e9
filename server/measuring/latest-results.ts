import { and, desc, eq, inArray, isNotNull, or } from 'drizzle-orm'
import type { LatestResult, Standing } from '../../core/contracts/measurements.ts'
import type { Side } from '../../core/contracts/measuring.ts'
import { sideSummary } from '../../core/measuring/summary.ts'
import { jobs, measurements, runs } from '../db/schema.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { getTrial, liveSetup } from '../release/setups.ts'
import { setupDigest } from '../release/setup-digest.ts'

/** Newest measurements that are looked through. */
const NEWEST = 100

type RunRow = typeof runs.$inferSelect
type MeasurementRow = typeof measurements.$inferSelect

/** Sides of a measurement that were the setup asked for: what trial measured is what live is after it was kept. */
const sidesOf = ({ order, setups }: MeasurementRow, digest: string): Side[] =>
  order.sides.filter((side) => (side === 'live' || side === 'trial' || side === 'candidate') && setups[side] === digest)

const standing = (
  newestFirst: readonly MeasurementRow[],
  runsOf: ReadonlyMap<string, readonly RunRow[]>,
  sides: (measurement: MeasurementRow) => Side[],
): Standing | null => {
  for (const measurement of newestFirst) {
    for (const side of sides(measurement)) {
      const { medians } = sideSummary(side, runsOf.get(measurement.id) ?? [])
      if (medians.loadedMs !== null)
        return { measurementId: measurement.id, at: measurement.createdAt.toISOString(), medians }
    }
  }
  return null
}

const groupBy = <T>(items: readonly T[], key: (item: T) => string): Map<string, T[]> => {
  const groups = new Map<string, T[]>()
  for (const item of items) groups.set(key(item), [...(groups.get(key(item)) ?? []), item])
  return groups
}

/** Where every measured page stands for every visitor, first visits only. */
export const latestResultsOf = async (
  services: HasDatabase & HasAddresses,
  siteId: string,
): Promise<LatestResult[]> => {
  const { db } = services
  const live = await liveSetup(db, siteId)
  const trial = await getTrial(services, siteId)
  const rows = await db
    .select({ measurement: measurements })
    .from(measurements)
    .innerJoin(jobs, eq(jobs.id, measurements.jobId))
    .where(and(eq(measurements.siteId, siteId), or(eq(jobs.state, 'done'), isNotNull(measurements.endedAt))))
    .orderBy(desc(measurements.createdAt))
    .limit(NEWEST)
  const firstVisits = rows.map(({ measurement }) => measurement).filter(({ order }) => order.visit === 'first')
  if (firstVisits.length === 0) return []
  const all = await db
    .select()
    .from(runs)
    .where(
      inArray(
        runs.measurementId,
        firstVisits.map(({ id }) => id),
      ),
    )
  const liveDigest = setupDigest(live.setup)
  const trialDigest = setupDigest(trial.setup)
  return [...groupBy(all, ({ pageId, visitorId }) => `${visitorId} ${pageId}`).values()].flatMap(
    (own): LatestResult[] => {
      const [first] = own
      if (first === undefined) return []
      const byMeasurement = groupBy(own, ({ measurementId }) => measurementId)
      const floors = own.map(({ floorMs }) => floorMs).filter((floor) => floor !== null)
      const find = (sides: (measurement: MeasurementRow) => Side[]): Standing | null =>
        standing(firstVisits, byMeasurement, sides)
      return [
        {
          pageId: first.pageId,
          path: first.path,
          kind: first.pageKind,
          visitorId: first.visitorId,
          visitorName: first.visitor.name,
          floorMs: floors.length === 0 ? null : Math.min(...floors),
          origin: find(({ order }) => order.sides.filter((side) => side === 'origin')),
          live: find((measurement) => sidesOf(measurement, liveDigest)),
          trial: trialDigest === liveDigest ? null : find((measurement) => sidesOf(measurement, trialDigest)),
        },
      ]
    },
  )
}
