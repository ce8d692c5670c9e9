import type { MeasurementOrder } from '../../core/contracts/measurements.ts'
import type { RunOrder, Side, VisitorProfile } from '../../core/contracts/measuring.ts'
import type { SamplePage, Site } from '../../core/contracts/sites.ts'
import { nearestFor, type PlacedEdge } from '../../core/edges/nearest-edge.ts'
import { distanceMs } from '../../core/model/distance.ts'
import type { PlannedRun } from '../../core/measuring/plan.ts'
import { versionOf } from '../../core/measuring/sides.ts'
import { TRIAL_KEY } from '../../core/http/trial-key.ts'
import { newId } from '../accounts/secrets.ts'
import { candidateHost, isAskedByDeliveryOnly, originHost, versionHost } from '../sites/channel-hosts.ts'
import type { Addresses } from '../net/addresses.ts'

/** Longest time a page may take to become quiet. */
const PAGE_TIMEOUT_MS = 60_000

/** A site as far as its addresses are concerned. */
type SiteAddresses = Pick<Site, 'address' | 'hostHeader' | 'originKey' | 'liveUrl' | 'trialUrl' | 'trialHost'>

/** Whether a side is loaded from its web server without delivery in between. */
const isDirect = (site: Pick<Site, 'hostHeader' | 'originKey'>, side: Side): boolean =>
  side === 'origin' && !isAskedByDeliveryOnly(site)

/** Whether a side is what visitors get. */
const isLive = (side: Side): boolean => side === 'live' || side === 'without-objects' || side === 'through-edges'

const withHost = (address: string, host: string): string => {
  const url = new URL(address)
  url.hostname = host
  return url.origin
}

/** Scheme, host and port of a side. */
export const sideOrigin = (site: SiteAddresses, side: Side): string => {
  const number = versionOf(side)
  if (number !== undefined) return withHost(site.trialUrl, versionHost(site.trialHost, number))
  if (isDirect(site, side)) return site.address
  if (side === 'origin') return withHost(site.trialUrl, originHost(site.trialHost))
  if (side === 'candidate') return withHost(site.trialUrl, candidateHost(site.trialHost))
  return isLive(side) ? site.liveUrl : site.trialUrl
}

/** How the lab gets to a side. */
export const accessTo = (
  site: SiteAddresses & Pick<Site, 'trialKey' | 'hosts'>,
  side: Side,
  { deliveryPort }: Pick<Addresses, 'deliveryPort'>,
): { origin: string } & Pick<RunOrder, 'connectTo' | 'cookies' | 'privateAddresses'> => {
  const origin = sideOrigin(site, side)
  const { hostname } = new URL(origin)
  return {
    origin,
    // Whatever the names say in the outside world: what is measured is the delivery that runs here.
    connectTo: isDirect(site, side) ? {} : { [`${hostname}:${deliveryPort}`]: `127.0.0.1:${deliveryPort}` },
    privateAddresses: site.hosts.privateAddresses,
    cookies: isDirect(site, side) || isLive(side) ? [] : [{ name: TRIAL_KEY, value: site.trialKey }],
  }
}

/** What a planned side really loads: "again" is the side it stands beside. */
export const loadedSide = (side: Side, sides: readonly Side[]): Side =>
  side === 'again' ? sides.find((one) => one !== 'again')! : side

/** A visitor with what the distance adds to the link. */
export const placedVisitor = (visitor: VisitorProfile, site: Pick<Site, 'places'>): VisitorProfile => ({
  ...visitor,
  roundTripMs: visitor.roundTripMs + distanceMs(visitor.place, site.places.origin),
})

const roundTripsByHost = (visitor: VisitorProfile, { places }: Pick<Site, 'places'>): Record<string, number> =>
  Object.fromEntries(
    places.hosts.map(({ host, place }) => [host, visitor.roundTripMs + distanceMs(visitor.place, place)]),
  )

/** The way of a visitor to live through the edge that is nearest. */
const throughNearest = (
  visitor: VisitorProfile,
  site: Site,
  { deliveryPort }: Pick<Addresses, 'deliveryPort'>,
  edges: readonly PlacedEdge[],
): Partial<Pick<RunOrder, 'connectTo' | 'roundTripsByHost'>> => {
  const nearest = nearestFor(visitor.place, site.places.origin, edges)
  if (nearest.kind === 'home') return {}
  const { hostname } = new URL(site.liveUrl)
  const { address, port } = nearest.edge
  return {
    connectTo: { [`${hostname}:${deliveryPort}`]: `${address}:${port}` },
    roundTripsByHost: {
      ...roundTripsByHost(visitor, site),
      [hostname]: visitor.roundTripMs + nearest.distanceMs,
    },
  }
}

/** One page load, ready for the lab. @param edges those that serve the site right now */
export const runOrder = (
  site: Site,
  order: Pick<MeasurementOrder, 'sides' | 'visit' | 'pageIds'>,
  planned: Pick<PlannedRun, 'side' | 'purpose'>,
  page: SamplePage,
  visitor: VisitorProfile,
  addresses: Pick<Addresses, 'deliveryPort'>,
  edges: readonly PlacedEdge[] = [],
): RunOrder => {
  const { origin, ...access } = accessTo(site, loadedSide(planned.side, order.sides), addresses)
  const before = site.sample.find(({ id }) => id !== page.id) ?? page
  return {
    id: newId(),
    url: origin + page.path,
    visitor: placedVisitor(visitor, site),
    visit: order.visit,
    previousUrl: order.visit === 'next' ? origin + before.path : null,
    journey: site.journeys.find(({ id }) => id === visitor.journeyId) ?? null,
    instruments: planned.purpose === 'look' ? 'all' : 'light',
    roundTripsByHost: roundTripsByHost(visitor, site),
    ...access,
    ...(planned.side === 'through-edges' ? throughNearest(visitor, site, addresses, edges) : {}),
    timeoutMs: PAGE_TIMEOUT_MS,
  }
}
