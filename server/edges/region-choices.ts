import { eq } from 'drizzle-orm'
import {
  RegionPlan,
  type Audience,
  type MonthOfTraffic,
  type RegionChoice,
  type RegionSet,
} from '../../core/contracts/regions.ts'
import type { Site } from '../../core/contracts/sites.ts'
import {
  bestFor,
  searchRegions,
  servedPlaces,
  type RegionQuestion,
  type RegionSearch,
} from '../../core/edges/choose-regions.ts'
import { countedAudience } from '../../core/edges/counted-audience.ts'
import { monthOfTraffic } from '../../core/edges/month-of-traffic.ts'
import { waitByDistance } from '../../core/edges/wait-by-distance.ts'
import { inSeconds } from '../../core/measuring/result-sentence.ts'
import { distanceMs } from '../../core/model/distance.ts'
import { predictedVisitor } from '../../core/model/predicted-visitor.ts'
import { recordingOf } from '../../core/model/recording-from-run.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import { auditRuns, requestsOf } from '../audits/audit-runs.ts'
import type { HasDatabase } from '../db/database.ts'
import { regionPlans } from '../db/edges-schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { getSite } from '../sites/sites.ts'
import type { HasEdges } from './edge-fleet.ts'
import { edgesOfSite } from './own-edges.ts'

type Needs = HasDatabase & HasDelivery & HasClock & HasAddresses & HasEdges

/** What the owner has said of visitors, prices and aims; nothing yet: where the site's visitors are measured from. */
export const regionPlan = async (services: Pick<Needs, 'db' | 'addresses'>, siteId: string): Promise<RegionPlan> => {
  const [row] = await services.db.select().from(regionPlans).where(eq(regionPlans.siteId, siteId))
  if (row !== undefined) return RegionPlan.parse(row.plan)
  const { visitors } = await getSite(services, siteId)
  const places = new Map(visitors.flatMap(({ place }) => (place === null ? [] : [[place.name, place] as const])))
  return RegionPlan.parse({ audience: [...places.values()].map((place) => ({ place, share: 1 })) })
}

/** Where visitors are, as counted here and at the edges. @throws AppError NOT_FOUND */
export const audienceOf = async (services: Needs, siteId: string): Promise<Audience[]> => {
  const { places } = await getSite(services, siteId)
  const { channels } = await services.delivery.traffic(siteId)
  const live = channels.find(({ channel }) => channel === 'live')
  const edges = (await edgesOfSite(services, siteId)).map(({ place, sites }) => {
    const own = sites.find((one) => one.siteId === siteId)
    return { place, requests: own?.requests ?? 0, passedOn: (own?.requests ?? 0) - (own?.hits ?? 0) }
  })
  return countedAudience({ place: places.origin, requests: live?.requests ?? 0 }, edges)
}

/** @throws AppError when there is no such site */
export const saveRegionPlan = async (
  services: Pick<Needs, 'db' | 'addresses'>,
  siteId: string,
  plan: RegionPlan,
): Promise<RegionPlan> => {
  await getSite(services, siteId)
  await services.db
    .insert(regionPlans)
    .values({ siteId, plan })
    .onConflictDoUpdate({ target: regionPlans.siteId, set: { plan } })
  return plan
}

/** What a visitor waits by distance, from the newest close look at the page. @throws AppError when it was never measured */
const waitsOf = async ({ db }: HasDatabase, site: Site, { pageId, visitorId }: RegionPlan) => {
  const visitor = site.visitors.find(({ id }) => id === visitorId) ?? site.visitors[0]
  const page = site.sample.find(({ id }) => id === pageId) ?? site.sample[0]
  const looks = (await auditRuns(db, site.id, ['live', 'origin'])).filter((run) => run.pageId === page?.id)
  const look = looks.find(({ side }) => side === 'live') ?? looks[0]
  if (visitor === undefined || look?.metrics == null) throw errors.pageNotMeasured(page?.path ?? '/')
  const { metrics, details } = look
  const run = { metrics, details, requests: await requestsOf(db, look.id) }
  const recording = recordingOf(run, predictedVisitor(look.visitor, site.places, 'included'))
  if (recording === undefined) throw errors.pageNotMeasured(page?.path ?? '/')
  return {
    waitAt: waitByDistance(recording, visitor),
    measured: { requests: metrics.requests ?? run.requests.length, bytes: metrics.sentBytes ?? 0 },
  }
}

/** Looked for in steps of a few milliseconds: whoever else asks control is answered in between. */
const searchBesides = async (question: RegionQuestion): Promise<RegionSearch> => {
  const search = searchRegions(question)
  for (;;) {
    const step = search.next()
    if (step.done === true) return step.value
    await new Promise((resolve) => setImmediate(resolve))
  }
}

const moneyOf = (amount: number, currency: string): string =>
  `${amount.toFixed(2)}${currency === '' ? '' : ` ${currency}`}`

const sentenceOf = (
  { goal, currency, regions }: RegionPlan,
  search: RegionSearch,
  chosen: RegionSet | undefined,
  without: RegionSet | undefined,
): string => {
  if (regions.length === 0) return 'There is no price list yet: add regions, or read them from a file.'
  if (chosen === undefined) {
    const least = search.byWorst.at(-1)
    return `No set of these regions brings every place below ${goal.kind === 'wait' ? inSeconds(goal.ms) : ''}; the least is ${inSeconds(least?.worstMs ?? 0)}, for ${moneyOf(least?.perMonth ?? 0, currency)} a month.`
  }
  if (chosen.regions.length === 0)
    return goal.kind === 'budget'
      ? 'No region saves anything within this budget.'
      : 'No region is needed: every place is fast enough already.'
  const saved = (without?.meanMs ?? chosen.meanMs) - chosen.meanMs
  return `${chosen.regions.join(', ')}: ${moneyOf(chosen.perMonth, currency)} a month, main content ${inSeconds(saved)} faster on average, and after ${inSeconds(chosen.worstMs)} in the slowest place.`
}

/** Where edges are worth what they cost. @throws AppError when places, visits or a measured page are missing */
export const chooseRegions = async (services: Needs, siteId: string, plan: RegionPlan): Promise<RegionChoice> => {
  const { delivery, now } = services
  const site = await getSite(services, siteId)
  const home = site.places.origin
  if (home === null) throw errors.homeHasNoPlace()
  if (plan.audience.length === 0) throw errors.noAudience()
  const { waitAt, measured } = await waitsOf(services, site, plan)
  const { channels } = await delivery.traffic(siteId)
  const live = channels.find(({ channel }) => channel === 'live')
  const traffic: MonthOfTraffic | undefined = monthOfTraffic(live, plan.visitsPerMonth, measured, now().getTime())
  if (traffic === undefined) throw errors.visitsNotKnown()
  const own = await edgesOfSite(services, siteId)
  const existing = own.flatMap(({ name, place }) => (place === null ? [] : [{ name, place: place }]))
  const { regions, audience, goal } = plan
  const question: RegionQuestion = { home, existing, regions, audience, traffic, waitAt }
  const search = await searchBesides(question)
  const chosen = bestFor(search, goal)
  const served = servedPlaces(question, chosen?.regions ?? [])
  const at = chosen === undefined ? -1 : search.byMean.indexOf(chosen)
  return {
    traffic,
    method: search.method,
    curve: [...search.byMean],
    chosen: chosen ?? null,
    gapMs: search.gapsMs[at] ?? 0,
    places: audience.map(({ place, share }, index) => ({
      place,
      share,
      from: served[index]?.from ?? 'home',
      distanceMs: served[index]?.distanceMs ?? 0,
      ms: served[index]?.ms ?? 0,
      homeMs: waitAt(distanceMs(place, home)),
    })),
    sentence: sentenceOf(plan, search, chosen, search.byMean[0]),
  }
}
