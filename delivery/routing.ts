import { namePatterns, pathPatterns } from '../core/http/cache-key.ts'
import type { AdmissionRules } from '../core/http/admission.ts'
import type { FileKind } from '../core/http/browser-lifetime.ts'
import type { Coding } from '../core/http/negotiation.ts'
import type { ReusePolicy } from '../core/http/reuse.ts'
import { seconds, type Seconds } from '../core/time.ts'
import type { Channel, DeliveryConfig, DeliverySite } from '../core/contracts/delivery.ts'
import type { Setup } from '../core/contracts/setup.ts'

/** A setup made ready for answering requests of one channel of one site. */
export interface Route {
  readonly siteId: string
  readonly channel: Channel
  /** Keeps what is stored for this channel apart from everything else. */
  readonly partition: string
  readonly origin: DeliverySite['origin']
  readonly admission: AdmissionRules
  readonly reuse: ReusePolicy
  readonly ignoredParameter: (name: string) => boolean
  /** Codings offered, in order of preference; empty when compression is off. */
  readonly codings: readonly Coding[]
  readonly leastCompressedBytes: number
  /** undefined when the browser cache remedy is off. */
  readonly browserLifetimes: Readonly<Record<FileKind, Seconds>> | undefined
  readonly serverTiming: boolean
}

/** Routes by host name, without port. */
export type Routes = ReadonlyMap<string, Route>

export const partitionOf = (siteId: string, channel: Channel): string => `${siteId}/${channel}`

const browserLifetimes = (setup: Setup): Route['browserLifetimes'] => {
  const settings = setup.remedies.browserCache
  if (!settings.enabled) return undefined
  return {
    page: seconds(settings.pageS),
    style: seconds(settings.styleS),
    script: seconds(settings.scriptS),
    image: seconds(settings.imageS),
    font: seconds(settings.fontS),
    media: seconds(settings.mediaS),
    other: seconds(0),
  }
}

const compileRoute = (site: DeliverySite, channel: Channel, setup: Setup): Route => {
  const { pageCache, compression } = setup.remedies
  const codings: Coding[] = compression.enabled
    ? [...(compression.brotli ? (['br'] as const) : []), ...(compression.gzip ? (['gzip'] as const) : [])]
    : []
  return {
    siteId: site.siteId,
    channel,
    partition: partitionOf(site.siteId, channel),
    origin: site.origin,
    admission: {
      pageCache: pageCache.enabled,
      passesPath: pathPatterns(pageCache.passPaths),
      visitorCookie: namePatterns(pageCache.visitorCookies),
      harmlessCookie: namePatterns(pageCache.harmlessCookies),
    },
    reuse: {
      lifetimes: { pages: seconds(pageCache.lifetimeS), files: seconds(pageCache.fileLifetimeS) },
      staleWhileRevalidate: seconds(pageCache.staleWhileRevalidateS),
      staleIfError: seconds(pageCache.staleIfErrorS),
    },
    ignoredParameter: namePatterns(pageCache.ignoredParameters),
    codings,
    leastCompressedBytes: compression.leastBytes,
    browserLifetimes: browserLifetimes(setup),
    serverTiming: setup.serverTiming,
  }
}

/** Routes of a configuration; where two sites name the same host, the first one keeps it. */
export const compileRoutes = (config: DeliveryConfig): Routes => {
  const routes = new Map<string, Route>()
  for (const site of config.sites)
    for (const { channel, hosts, setup } of site.channels) {
      const route = compileRoute(site, channel, setup)
      for (const host of hosts) if (!routes.has(host)) routes.set(host, route)
    }
  return routes
}

/** The host name of a Host field, without port, in lower case. */
export const hostName = (host: string): string => host.toLowerCase().replace(/:\d+$/, '')
