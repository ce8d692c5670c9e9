import { and, desc, eq } from 'drizzle-orm'
import type { EdgeSiteFigures } from '../../core/contracts/edges.ts'
import type { EdgeCosts } from '../../core/contracts/regions.ts'
import { costOfMonth, monthOf, regionOfEdge } from '../../core/edges/edge-cost.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { edgeMonths, edges } from '../db/edges-schema.ts'
import { sites } from '../db/schema.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { regionPlan } from './region-choices.ts'

/** Counters of edges are read once in so long, ms: reports come every few seconds. */
const READ_EVERY_MS = 60_000

type MonthRow = typeof edgeMonths.$inferSelect

/** What has come since the counters were read last. Counters that began anew have nothing before them. */
const newSince = (
  last: Pick<MonthRow, 'readSince' | 'readRequests' | 'readBytes'> | undefined,
  { since, requests, bytes }: EdgeSiteFigures,
): { requests: number; bytes: number } =>
  last !== undefined && last.readSince === Math.round(since) && last.readRequests <= requests && last.readBytes <= bytes
    ? { requests: requests - last.readRequests, bytes: bytes - last.readBytes }
    : { requests, bytes }

const startOf = (at: Date): number => Date.UTC(at.getUTCFullYear(), at.getUTCMonth(), 1)

/** What is new in this month, and since when it is counted. */
const addedOf = (
  last: MonthRow | undefined,
  figures: EdgeSiteFigures,
  at: Date,
): { readonly requests: number; readonly bytes: number; readonly beganAt: Date } => {
  const start = startOf(at)
  if (last !== undefined) return { ...newSince(last, figures), beganAt: new Date(start) }
  // Nobody can say how much of it belongs to this month.
  if (figures.since < start) return { requests: 0, bytes: 0, beganAt: at }
  return { requests: figures.requests, bytes: figures.bytes, beganAt: new Date(figures.since) }
}

const countSite = async (
  db: Database,
  edgeId: string,
  last: MonthRow | undefined,
  figures: EdgeSiteFigures,
  at: Date,
): Promise<void> => {
  const { beganAt, ...added } = addedOf(last, figures, at)
  const month = monthOf(at)
  const same = last?.month === month ? last : undefined
  const read = {
    requests: (same?.requests ?? 0) + added.requests,
    bytes: (same?.bytes ?? 0) + added.bytes,
    readSince: Math.round(figures.since),
    readRequests: figures.requests,
    readBytes: figures.bytes,
    readAt: at,
  }
  await db
    .insert(edgeMonths)
    .values({ edgeId, siteId: figures.siteId, month, beganAt, ...read })
    .onConflictDoUpdate({ target: [edgeMonths.edgeId, edgeMonths.siteId, edgeMonths.month], set: read })
}

/** Add what an edge reports to its month. Sites that are gone have none. */
export const countMonth = async (
  { db, now }: HasDatabase & HasClock,
  edgeId: string,
  figures: readonly EdgeSiteFigures[],
): Promise<void> => {
  const at = now()
  const newest = await db
    .selectDistinctOn([edgeMonths.siteId])
    .from(edgeMonths)
    .where(eq(edgeMonths.edgeId, edgeId))
    .orderBy(edgeMonths.siteId, desc(edgeMonths.month))
  const lastOf = new Map(newest.map((row) => [row.siteId, row]))
  const due = figures.filter(({ siteId }) => {
    const readAt = lastOf.get(siteId)?.readAt.getTime()
    return readAt === undefined || at.getTime() - readAt >= READ_EVERY_MS
  })
  if (due.length === 0) return
  const known = new Set((await db.select({ id: sites.id }).from(sites)).map(({ id }) => id))
  for (const one of due) if (known.has(one.siteId)) await countSite(db, edgeId, lastOf.get(one.siteId), one, at)
}

/** What the edges of a site cost this month, by the prices that the owner has given. @throws AppError when there is no such site */
export const edgeCosts = async (
  services: HasDatabase & HasClock & HasAddresses,
  siteId: string,
): Promise<EdgeCosts> => {
  const { db, now } = services
  const { regions, currency } = await regionPlan(services, siteId)
  const month = monthOf(now())
  const rows = await db
    .select({ month: edgeMonths, name: edges.name, place: edges.place })
    .from(edgeMonths)
    .innerJoin(edges, eq(edges.id, edgeMonths.edgeId))
    .where(and(eq(edgeMonths.siteId, siteId), eq(edgeMonths.month, month)))
    .orderBy(edges.name)
  return {
    month,
    currency,
    edges: rows.map(({ month: { requests, bytes, beganAt }, name, place }) => {
      const region = regionOfEdge({ name, place }, regions)
      const gb = bytes / 1e9
      const priced =
        region === undefined
          ? { cost: null, forecast: null }
          : costOfMonth(region, { gb, requests, from: beganAt.getTime() }, now().getTime())
      return { edge: name, region: region?.name ?? null, requests, gb, ...priced }
    }),
  }
}
