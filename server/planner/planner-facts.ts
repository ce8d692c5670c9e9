import { and, desc, eq, isNull } from 'drizzle-orm'
import { warmUpValues } from '../../core/cache/warm-up-order.ts'
import { STORE_BYTES, type ChannelTraffic } from '../../core/contracts/delivery.ts'
import {
  PlannedLifetime,
  type PlannerFacts,
  type PlannerKind,
  type PlannerPage,
  type PlanSettings,
} from '../../core/contracts/planner.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { absentAddress, type AddressState, type StoredSummary } from '../../core/contracts/store.ts'
import { pathPatterns } from '../../core/http/patterns.ts'
import { changesPerDay } from '../../core/planner/change-rates.ts'
import { firstPlan } from '../../core/planner/first-plan.ts'
import { countedVisits, hourShares } from '../../core/planner/counted-traffic.ts'
import { addressPattern } from '../../core/sampling/page-kinds.ts'
import { median } from '../../core/stats/median.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { changeCalls, sitemapPages } from '../db/schema.ts'
import { warmUpAddresses } from '../db/warm-up-schema.ts'
import type { HasClock } from '../live/clock.ts'
import { changesOf, UNTOLD_LIFETIME_S } from '../sites/changes-told.ts'
import { candidateOf, siteFacts, type SiteFacts } from '../warmup/site-facts.ts'
import { newestPlan } from './plans.ts'

type PlannerIo = HasDatabase & HasDelivery & HasClock

/** Pages that are planned with: the most important ones where there are more. */
const MOST_PAGES = 5000
/** Kinds that are shown apart. */
const MOST_KINDS = 8
/** Pages whose size and lifetime are asked of the store; the others get what is usual. */
const MOST_STORED = 500
/** Where nothing is known, what a page of a content system commonly takes (common practice). */
const USUAL = { waitMs: 500, bytes: 30_000 }

type KnownPage = Parameters<typeof candidateOf>[0] & { readonly kind: string }

/** Pages of the site: those that are warmed, else those of the sitemap, and those that visitors ask for. */
const pagesOf = async ({ db, delivery }: PlannerIo, siteId: string): Promise<KnownPage[]> => {
  const warmed = await db
    .select()
    .from(warmUpAddresses)
    .where(and(eq(warmUpAddresses.siteId, siteId), eq(warmUpAddresses.listed, true), eq(warmUpAddresses.as, 'page')))
    .orderBy(desc(warmUpAddresses.priority))
    .limit(MOST_PAGES)
  const listed = await db
    .select()
    .from(sitemapPages)
    .where(eq(sitemapPages.siteId, siteId))
    .orderBy(desc(sitemapPages.priority))
    .limit(MOST_PAGES)
  const known = new Map<string, KnownPage>()
  const add = (page: KnownPage): void => {
    if (known.size < MOST_PAGES && !known.has(page.target)) known.set(page.target, page)
  }
  const unknown = { priority: 0.5, visits: null, waitMs: null }
  add(warmed.find(({ target }) => target === '/') ?? { target: '/', kind: 'Home page', ...unknown, priority: 1 })
  const { pages } = await delivery.visited(siteId)
  const kindOf = new Map(listed.map(({ path, kind }) => [addressPattern(path), kind]))
  const warmedAt = new Map(warmed.map((row) => [row.target, row]))
  for (const { target } of pages)
    add(
      warmedAt.get(target) ?? {
        target,
        kind: kindOf.get(addressPattern(target)) ?? addressPattern(target),
        ...unknown,
      },
    )
  for (const row of warmed) add(row)
  for (const { path, kind, priority, visits } of listed) add({ target: path, kind, priority, visits, waitMs: null })
  return [...known.values()]
}

const OTHER_PAGES: PlannerKind = { name: 'Other pages', paths: [], pages: 0, visitsPerDay: 0, changesPerDay: 0 }

/** Kinds of the setup first, then those of most visits or, as long as none are counted, most pages. @returns kinds, and the index of the kind of an address */
const kindsOf = (
  setup: Setup,
  pages: readonly { readonly target: string; readonly kind: string; readonly visitsPerDay: number }[],
): { kinds: PlannerKind[]; kindOf: (target: string) => number } => {
  const own = setup.remedies.pageCache.kinds.map(({ name, paths }) => ({ name, paths, fits: pathPatterns(paths) }))
  const pathOf = (target: string): string => target.split('?', 1)[0] ?? target
  const found = new Map<string, { name: string; paths: string[]; visits: number; pages: number }>()
  for (const { target, kind, visitsPerDay } of pages) {
    if (own.some(({ fits }) => fits(pathOf(target)))) continue
    const pattern = addressPattern(target)
    const known = found.get(pattern) ?? { name: kind, paths: [pattern], visits: 0, pages: 0 }
    found.set(pattern, { ...known, visits: known.visits + visitsPerDay, pages: known.pages + 1 })
  }
  const names = new Set(['Other pages', ...own.map(({ name }) => name)])
  const more = [...found.values()]
    .toSorted((a, b) => b.visits - a.visits || b.pages - a.pages)
    // Visitors make up addresses, and no setup takes a kind of such a name.
    .filter(({ name, paths }) => PlannedLifetime.safeParse({ name, paths, lifetimeS: 0 }).success)
    .filter(({ name }) => !names.has(name) && names.add(name).size > 0)
    .slice(0, Math.max(0, MOST_KINDS - own.length))
    // The exact address of an overview would also fit what lies below it.
    .toSorted((a, b) => (b.paths[0]?.length ?? 0) - (a.paths[0]?.length ?? 0))
    .map(({ name, paths }) => ({ name, paths, fits: (path: string) => paths.includes(addressPattern(path)) }))
  const all = [...own, ...more]
  return {
    kinds: [OTHER_PAGES, ...all.map(({ name, paths }) => ({ ...OTHER_PAGES, name, paths }))],
    kindOf: (target) => 1 + all.findIndex(({ fits }) => fits(pathOf(target))),
  }
}

/** The plan that is in force; without a page cache nothing is stored at all. */
const planNow = ({ setup, settings, pageCache }: SiteFacts): PlanSettings => {
  const { lifetimeS, staleWhileRevalidateS, kinds } = setup.remedies.pageCache
  const inForce = (own: number): number => (pageCache === 'on' ? own : 0)
  const { automatic, perMinute, beforeExpiry, afterChanges, everyH } = settings
  return {
    lifetimeS: inForce(lifetimeS),
    staleWhileRevalidateS,
    kinds: kinds.map(({ name, paths, lifetimeS: own }) => ({ name, paths, lifetimeS: inForce(own ?? lifetimeS) })),
    warmUp: { automatic: automatic && pageCache === 'on', perMinute, beforeExpiry, afterChanges, everyH },
  }
}

/** What the store holds of pages: their size, and a lifetime that the origin gives. @param now epoch ms */
const storedFacts = (
  entries: readonly StoredSummary[],
  now: number,
): Map<string, Pick<PlannerPage, 'bytes' | 'originLifetimeS'>> =>
  new Map(
    entries.map(({ address, bytes, since, ttlS, lifetimeFrom }) => {
      const isOrigins = lifetimeFrom === 's-maxage' || lifetimeFrom === 'max-age' || lifetimeFrom === 'expires'
      return [
        address,
        {
          bytes: Object.values(bytes).reduce((sum, one) => sum + one, 0),
          originLifetimeS: isOrigins ? Math.max(0, Math.round(ttlS + (now - since) / 1000)) : null,
        },
      ]
    }),
  )

const usualOf = (values: readonly number[], otherwise: number): number =>
  values.length === 0 ? otherwise : median(values)

const toldChanges = async (db: Database, siteId: string) => {
  const rows = await db
    .select()
    .from(changeCalls)
    .where(and(eq(changeCalls.siteId, siteId), isNull(changeCalls.problem)))
  return rows.map(({ at, paths }) => ({ at: at.getTime(), paths }))
}

/** Visits a day of each page: in proportion as counted, in all as many as come on a day. */
const visitsOf = (
  pages: readonly KnownPage[],
  states: readonly AddressState[],
  site: SiteFacts,
  perDay: number,
): number[] => {
  const values = warmUpValues(
    pages.map((page, at) => candidateOf(page, states[at] ?? absentAddress(page.target), site.lifetimeOf(page.target))),
  )
  const sum = values.reduce((all, { rate }) => all + rate, 0)
  return values.map(({ rate }) => (sum === 0 ? 0 : (rate / sum) * perDay))
}

/** What was counted for less than this says nothing about a day. */
const LEAST_COUNTED_DAYS = 1 / 24

const countedFrom = (days: number, pages: readonly KnownPage[]): PlannerFacts['counted']['from'] => {
  if (days >= LEAST_COUNTED_DAYS) return 'visits'
  return pages.some(({ visits }) => visits !== null) ? 'access-log' : 'nothing'
}

/** An access log does not say over how long it was written; a week is common practice. */
const LOG_DAYS = 7

const loggedPerDay = (pages: readonly KnownPage[]): number =>
  pages.reduce((sum, { visits }) => sum + (visits ?? 0), 0) / LOG_DAYS

/** Pages with what the origin takes for them and what they take in the store; where that is not known, with what is usual on the site. */
const plannedPages = (
  known: readonly KnownPage[],
  facts: {
    readonly states: readonly AddressState[]
    readonly visitsPerDay: readonly number[]
    readonly stored: ReturnType<typeof storedFacts>
    readonly kindOf: (target: string) => number
  },
): PlannerPage[] => {
  const { states, visitsPerDay, stored, kindOf } = facts
  const usualBytes = usualOf(
    [...stored.values()].map(({ bytes }) => bytes),
    USUAL.bytes,
  )
  const waits = known.map((page, at) => states[at]?.waitMs ?? page.waitMs)
  const usualWait = usualOf(
    waits.flatMap((one) => one ?? []),
    USUAL.waitMs,
  )
  return known.map(({ target }, at) => ({
    target,
    kind: kindOf(target),
    visitsPerDay: visitsPerDay[at] ?? 0,
    waitMs: waits[at] ?? usualWait,
    ...(stored.get(target) ?? { bytes: usualBytes, originLifetimeS: null }),
  }))
}

const storedPages = async ({ delivery, now }: PlannerIo, siteId: string) => {
  const { entries } = await delivery.listStore({
    siteId,
    channel: 'live',
    text: '',
    state: 'all',
    pagesOnly: true,
    sort: 'hits',
    descending: true,
    offset: 0,
    limit: MOST_STORED,
  })
  return storedFacts(entries, now().getTime())
}

/** Kinds with the pages, visits and changes that they have. */
const filled = (
  kinds: readonly PlannerKind[],
  pages: readonly PlannerPage[],
  perKind: readonly number[],
): PlannerKind[] =>
  kinds.map((kind, at) => {
    const own = pages.filter((page) => page.kind === at)
    return {
      ...kind,
      pages: own.length,
      visitsPerDay: own.reduce((sum, page) => sum + page.visitsPerDay, 0),
      changesPerDay: perKind[at] ?? 0,
    }
  })

/** How many visits there are, how that is known, and in which hours they come. */
const trafficOf = (live: ChannelTraffic | undefined, known: readonly KnownPage[], now: number) => {
  const { perDay, days } = live === undefined ? { perDay: 0, days: 0 } : countedVisits(live, now)
  const from = countedFrom(days, known)
  const hours = hourShares(live ?? { course: [] }, now)
  if (from === 'visits') return { perDay, counted: { from, days }, hours }
  return { perDay: loggedPerDay(known), counted: { from, days: from === 'access-log' ? LOG_DAYS : 0 }, hours }
}

/** All that the planner starts from. @throws AppError NOT_FOUND; DeliveryUnavailable */
export const plannerFacts = async (io: PlannerIo, siteId: string): Promise<PlannerFacts> => {
  const { db, delivery } = io
  const now = io.now().getTime()
  const site = await siteFacts(io, siteId)
  const { setup, settings } = site
  const known = await pagesOf(io, siteId)
  const states = await delivery.coverage({ siteId, channel: 'live', addresses: known.map(({ target }) => target) })
  const live = (await delivery.traffic(siteId)).channels.find(({ channel }) => channel === 'live')
  const { perDay, counted, hours } = trafficOf(live, known, now)
  const visitsPerDay = visitsOf(known, states, site, perDay)
  const visited = known.map((page, at) => ({ ...page, visitsPerDay: visitsPerDay[at] ?? 0 }))
  const { kinds, kindOf } = kindsOf(setup, visited)
  const stored = await storedPages(io, siteId)
  const pages = plannedPages(known, { states, visitsPerDay, stored, kindOf })
  const changes = await changesOf(db, siteId)
  const perKind = changesPerDay(await toldChanges(db, siteId), { kinds: kinds.length, kindOf, now })
  const { manner, home, lists } = setup.contentEvents
  const longestUntoldS = changes.told === null && changes.lifetimes === 'short' ? UNTOLD_LIFETIME_S : null
  const inForce = planNow(site)
  return {
    pages,
    kinds: filled(kinds, pages, perKind),
    hours,
    counted,
    told: changes.told,
    longestUntoldS,
    purge: { manner, home, lists },
    copies: setup.remedies.pageCache.deviceClasses ? 2 : 1,
    storeBytes: STORE_BYTES,
    warmUp: {
      atOnce: settings.atOnce,
      slowdown: settings.slowdown,
      hours: settings.hours,
      days: settings.days,
    },
    now: inForce,
    first: firstPlan({ now: inForce, kinds, longestUntoldS }),
    plan: await newestPlan(io, siteId, live),
  }
}
