import { and, eq, isNotNull } from 'drizzle-orm'
import type { EdgeSums } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import type { EdgeDraft, EdgeInfo, EdgeWithToken, Joined } from '../../core/contracts/edges.ts'
import type { WarmOrder } from '../../core/contracts/warm-up.ts'
import { isOpenWay } from '../../core/http/private-addresses.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import { digestToken, newId, newToken } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { edges } from '../db/edges-schema.ts'
import { samplePages, sites } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { EdgeFleet, HasEdges } from './edge-fleet.ts'

type EdgeRow = typeof edges.$inferSelect
type Needs = HasDatabase & HasEdges & HasClock & HasPublisher & HasControlCertificate

/** For whoever tells others by what certificate control is known. */
export interface HasControlCertificate {
  /** SHA-256 of a certificate that was made here and no authority vouches for, hex; undefined: an authority does, or there is none. */
  readonly controlCertificate: string | undefined
}

/** A clock that is off by more makes lifetimes wrong that are told in whole seconds, ms. */
const CLOCK_OFF_MS = 2000

/** Seen from here: how far the clock of an edge is ahead. */
const clockOff = (reported: number, heardAt: number): number | null => {
  const off = Math.round(reported - heardAt)
  return Math.abs(off) < CLOCK_OFF_MS ? 0 : off
}

const CLOCK_WRONG = (ms: number): string =>
  `Its clock is ${Math.round(Math.abs(ms) / 1000)} seconds ${ms > 0 ? 'ahead' : 'behind'}, so its copies seem older or newer than they are. Set the clock of that machine, for example with NTP.`

const infoOf = (fleet: EdgeFleet, row: EdgeRow): EdgeInfo => {
  const known = fleet.known(row.id)
  const off = known?.report === undefined ? null : clockOff(known.report.at, known.reportedAt)
  return {
    id: row.id,
    name: row.name,
    place: row.place,
    address: row.address,
    port: row.port,
    securePort: row.securePort,
    homeUrl: row.homeUrl,
    siteIds: row.siteIds,
    whenAway: row.whenAway,
    state: row.keyDigest === null ? 'not-joined' : known === undefined ? 'away' : 'connected',
    joinedAt: row.joinedAt?.getTime() ?? null,
    lastSeenAt: known?.reportedAt || (row.lastSeenAt?.getTime() ?? null),
    setup: known?.report === undefined ? 'unknown' : known.current ? 'in-force' : 'behind',
    clockOffMs: off,
    problem: known?.report?.problem ?? (off === null || off === 0 ? null : CLOCK_WRONG(off)),
    filling: known?.report?.filling ?? null,
    sites: known?.report?.sites ?? [],
  }
}

/** Have the fleet know the edges that the database holds. */
export const loadEdges = async (db: Database, fleet: EdgeFleet): Promise<void> => {
  fleet.use(await db.select().from(edges).where(isNotNull(edges.keyDigest)))
}

/** Edges that home lets ask on their visitors' behalf. */
export const knownEdges = async (db: Database): Promise<NonNullable<DeliveryConfig['edges']>> => {
  const rows = await db
    .select({ id: edges.id, keyDigest: edges.keyDigest })
    .from(edges)
    .where(isNotNull(edges.keyDigest))
  return rows.map(({ id, keyDigest }) => ({ id, keyDigest: keyDigest ?? '' }))
}

export const listEdges = async ({ db, edges: fleet }: HasDatabase & HasEdges): Promise<EdgeInfo[]> =>
  (await db.select().from(edges).orderBy(edges.createdAt)).map((row) => infoOf(fleet, row))

/** Edges that serve a site right now. */
export const edgesOfSite = async (services: HasDatabase & HasEdges, siteId: string): Promise<EdgeInfo[]> =>
  (await listEdges(services)).filter(
    ({ state, siteIds }) => state === 'connected' && (siteIds === null || siteIds.includes(siteId)),
  )

/** Newest decisions of all edges that are told together. */
const MOST_RECENT = 24

/** What the edges of a site have answered; null: none is connected. */
export const sumsAtEdges = async (services: HasDatabase & HasEdges, siteId: string): Promise<EdgeSums | null> => {
  const edges = await edgesOfSite(services, siteId)
  if (edges.length === 0) return null
  const own = edges.flatMap(({ name, sites }) =>
    sites.filter((one) => one.siteId === siteId).map((figures) => ({ name, ...figures })),
  )
  const sum = (what: 'requests' | 'hits' | 'bytes'): number => own.reduce((all, figures) => all + figures[what], 0)
  const recent = own
    .flatMap(({ name, recent: decisions }) => decisions.map((record) => ({ ...record, edge: name })))
    .toSorted((a, b) => b.at - a.at)
    .slice(0, MOST_RECENT)
  return { edges: edges.length, requests: sum('requests'), hits: sum('hits'), bytes: sum('bytes'), recent }
}

const rowOf = async (db: Database, id: string): Promise<EdgeRow> => {
  const [row] = await db.select().from(edges).where(eq(edges.id, id))
  if (row === undefined) throw errors.notFound('edge')
  return row
}

/** @throws AppError when an edge has this name already */
const refuseSameName = async (db: Database, name: string, ownId?: string): Promise<void> => {
  const [same] = await db.select().from(edges).where(eq(edges.name, name))
  if (same !== undefined && same.id !== ownId) throw errors.edgeNameTaken(name)
}

const refuseOpenHome = ({ homeUrl }: EdgeDraft): void => {
  if (isOpenWay(homeUrl)) throw errors.edgeNeedsTls(homeUrl)
}

const tokenFor = (token: string, { controlCertificate }: HasControlCertificate): string =>
  controlCertificate === undefined ? token : `${token}.${controlCertificate}`

/** @returns the new edge, and the token with which its machine joins @throws AppError when the name is taken, or home would be asked in the open */
export const addEdge = async (services: Needs, draft: EdgeDraft): Promise<EdgeWithToken> => {
  const { db, edges: fleet, now } = services
  refuseOpenHome(draft)
  await refuseSameName(db, draft.name)
  const token = newToken()
  const row = { id: newId(), ...draft, tokenDigest: digestToken(token), createdAt: now() }
  await db.insert(edges).values(row)
  return { edge: infoOf(fleet, await rowOf(db, row.id)), token: tokenFor(token, services) }
}

/** @throws AppError when there is none, its name is taken, or home would be asked in the open */
export const changeEdge = async (services: Needs, id: string, draft: EdgeDraft): Promise<EdgeInfo> => {
  const { db, edges: fleet } = services
  await rowOf(db, id)
  refuseOpenHome(draft)
  await refuseSameName(db, draft.name, id)
  await db.update(edges).set(draft).where(eq(edges.id, id))
  await loadEdges(db, fleet)
  return infoOf(fleet, await rowOf(db, id))
}

/** A new token, for a machine that joins in the place of the one that has; that one is cut off when it does. @throws AppError when there is none */
export const newEdgeToken = async (services: Needs, id: string): Promise<EdgeWithToken> => {
  const { db, edges: fleet } = services
  await rowOf(db, id)
  const token = newToken()
  await db
    .update(edges)
    .set({ tokenDigest: digestToken(token) })
    .where(eq(edges.id, id))
  return { edge: infoOf(fleet, await rowOf(db, id)), token: tokenFor(token, services) }
}

/** Pages of a site that an edge is filled with: the most visited, and the sample. */
const MOST_PAGES = 200
const SCHEMES = ['http', 'https'] as const

/**
 * Have an edge fetch the pages that visitors ask for most, before they ask there.
 * @returns how many pages
 * @throws AppError when there is no such edge, or it is not connected
 */
export const fillEdge = async (
  { db, edges: fleet, delivery }: HasDatabase & HasEdges & HasDelivery,
  id: string,
): Promise<{ pages: number }> => {
  const { siteIds } = await rowOf(db, id)
  const all = await db.select({ id: sites.id, host: sites.liveHost }).from(sites)
  const pages: WarmOrder[] = []
  for (const { id: siteId, host } of all) {
    if (siteIds !== null && !siteIds.includes(siteId)) continue
    const visited = await delivery.visited(siteId)
    const sample = await db.select({ path: samplePages.path }).from(samplePages).where(eq(samplePages.siteId, siteId))
    const targets = [...visited.pages.map(({ target }) => target), ...sample.map(({ path }) => path)]
    const seen = SCHEMES.filter((scheme) => visited.schemes[scheme] > 0)
    // As long as nobody has come, it is not known how they will.
    const schemes = seen.length > 0 ? seen : SCHEMES
    for (const target of [...new Set(targets)].slice(0, MOST_PAGES))
      for (const scheme of schemes)
        pages.push({ siteId, target, as: 'page', host, scheme, refreshBelowS: 0, fetchedAfter: 0 })
  }
  if (fleet.fill(id, pages) === 'away') throw errors.edgeIsAway()
  return { pages: pages.length }
}

/** The machine of this edge can do nothing here any more. @throws AppError when there is none */
export const removeEdge = async (services: Needs, id: string): Promise<void> => {
  const { db, edges: fleet, publisher } = services
  await rowOf(db, id)
  await db.delete(edges).where(eq(edges.id, id))
  await loadEdges(db, fleet)
  publisher.publishBehind()
}

/** A machine becomes an edge. A token works once, and one machine gets it however many try at the same time. @throws AppError when it has been used, or is none */
export const joinEdge = async (services: Needs, token: string): Promise<Joined> => {
  const { db, edges: fleet, publisher, now } = services
  const key = newToken()
  const tokenDigest = digestToken(token.split('.', 1)[0] ?? '')
  const [row] = await db
    .update(edges)
    .set({ tokenDigest: null, keyDigest: digestToken(key), joinedAt: now(), lastSeenAt: now() })
    .where(eq(edges.tokenDigest, tokenDigest))
    .returning()
  if (row === undefined) throw errors.badEdgeToken()
  fleet.cutOff(row.id)
  await loadEdges(db, fleet)
  publisher.publishBehind()
  return { edgeId: row.id, name: row.name, key }
}

/** The edge that a key belongs to. @throws AppError when there is none */
export const edgeOfKey = async ({ db }: HasDatabase, authorization: string): Promise<string> => {
  const key = /^Bearer +(\S+)$/i.exec(authorization)?.[1] ?? ''
  const [row] = await db
    .select({ id: edges.id })
    .from(edges)
    .where(and(eq(edges.keyDigest, digestToken(key)), isNotNull(edges.keyDigest)))
  if (row === undefined) throw errors.badEdgeKey()
  return row.id
}

/** Take down when an edge was heard of last, for the time after a restart. */
export const noteSeen = async ({ db, now }: HasDatabase & HasClock, id: string): Promise<void> => {
  await db.update(edges).set({ lastSeenAt: now() }).where(eq(edges.id, id))
}
