import { isKeptByDevice } from '../cache/device-classes.ts'
import type { DeliveryConfig, DeliverySite, HomeStore } from '../contracts/delivery-config.ts'
import type { EdgeDraft } from '../contracts/edges.ts'
import { emptySetup, type PageCacheSettings, type Setup } from '../contracts/setup.ts'

/**
 * Page cache of an edge. Who may share an answer is decided as at home; how long is home's to say, answer by answer, so no lifetime of its own
 * remains. Cookies that are known from what a session holds are judged at home, which has seen it; private copies never leave home.
 */
const edgePageCache = (settings: PageCacheSettings, byDevice: boolean): PageCacheSettings => ({
  ...settings,
  lifetimeS: 0,
  fileLifetimeS: 0,
  apiLifetimeS: 0,
  staleWhileRevalidateS: 0,
  staleIfErrorS: 0,
  signedIn: 'pass',
  fragments: false,
  deviceClasses: byDevice,
  kinds: settings.kinds.map((kind) => ({ ...kind, lifetimeS: null, overrule: false, sessionCookies: [] })),
})

/** The setup by which an edge serves what home has made: nothing is rewritten a second time, and browsers are told what home tells them. */
export const edgeSetup = (setup: Setup): Setup => {
  const nothing = emptySetup()
  const { pageCache, compression } = setup.remedies
  return {
    ...nothing,
    redirectToHttps: setup.redirectToHttps,
    serverTiming: setup.serverTiming,
    remedies: {
      ...nothing.remedies,
      compression,
      pageCache: edgePageCache(pageCache, isKeptByDevice(setup.remedies)),
    },
  }
}

/** What is known of an origin, for an edge: by which key it knows Zest Lamp only where the edge may ask it. */
const originForEdge = ({ key, ...origin }: DeliverySite['origin'], whenAway: HomeStore['whenAway']) =>
  key === undefined || whenAway === 'fail' ? origin : { ...origin, key }

/**
 * What control tells an edge of what home serves: its sites, without their trials, whose keys are nobody else's business.
 * @param edge the sites it is for (null: all), and whether it asks the origin while home is away
 */
export const configForEdge = (
  config: DeliveryConfig,
  { siteIds, whenAway }: Pick<EdgeDraft, 'siteIds' | 'whenAway'>,
): DeliveryConfig => ({
  revision: config.revision,
  sites: config.sites
    .filter(({ siteId }) => siteIds === null || siteIds.includes(siteId))
    .map((site) => ({
      ...site,
      origin: originForEdge(site.origin, whenAway),
      knowledge: [],
      channels: site.channels.filter(({ channel }) => channel === 'live'),
    })),
})

/** A site as an edge serves it: live only, asking home instead of the origin. */
const edgeSite = (site: DeliverySite, home: HomeStore): DeliverySite => ({
  ...site,
  home,
  knowledge: [],
  channels: site.channels
    .filter(({ channel }) => channel === 'live')
    .map((live) => ({ ...live, setup: edgeSetup(live.setup) })),
})

/**
 * What an edge is to serve, from what home serves.
 * @param sites ids of the sites it is for; null: all
 */
export const edgeConfig = (
  config: DeliveryConfig,
  home: HomeStore,
  sites: readonly string[] | null,
): DeliveryConfig => ({
  revision: config.revision,
  sites: config.sites
    .filter(({ siteId }) => sites === null || sites.includes(siteId))
    .map((site) => edgeSite(site, home)),
})
