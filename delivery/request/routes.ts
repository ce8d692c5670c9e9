import { createHash } from 'node:crypto'
import type { LookupFunction } from 'node:net'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'
import { inlineLcpImageBytes, isKeptByDevice } from '../../core/cache/device-classes.ts'
import { namePatterns, pathPatterns } from '../../core/http/patterns.ts'
import type { BypassRules } from '../../core/cache/cache-bypass.ts'
import type { CacheControlOverride } from '../../core/cache/cache-control-override.ts'
import type { FileKind } from '../../core/http/browser-lifetime.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import type { ReusePolicy } from '../../core/http/reuse.ts'
import { seconds, type Seconds } from '../../core/time.ts'
import type { Channel } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig, DeliverySite, HomeStore } from '../../core/contracts/delivery-config.ts'
import type { PageCacheSettings, Remedies, Setup } from '../../core/contracts/setup.ts'
import { compileExceptions } from '../../core/page/context/exceptions.ts'
import { guardedLookup } from '../../process/guarded-lookup.ts'

/** How one kind of page is stored and reused. */
export interface PathRule {
  /** Name the owner gave the kind; null for everything that no kind names. */
  readonly kind: string | null
  readonly reuse: ReusePolicy
  /** Cookies that do not change these pages. */
  readonly ignoredCookie: (name: string) => boolean
  readonly overrule: CacheControlOverride | undefined
  /** Cookies that give every visitor a session, which counts for nothing on these pages until it holds something. */
  readonly sessionCookie: ((name: string) => boolean) | undefined
}

/** What the remedies of reach *files* and *page* need to do their work on this channel. */
export interface Rewriting {
  readonly remedies: Remedies
  readonly knowledge: DeliverySite['knowledge']
  /** Stands for all of the above: what was made under the same one need not be made again. */
  readonly digest: string
}

/** Polls of pages left open, answered at most so often by the origin. */
export interface SlowedPolls {
  readonly fits: (path: string) => boolean
  readonly everyMs: number
}

const lookupFor = (reach: PrivateAddresses): LookupFunction | undefined =>
  reach === 'allowed' ? undefined : guardedLookup(reach)

/** Where and how an origin is asked. */
export interface OriginRoute extends Readonly<DeliverySite['origin']> {
  /** Refuses what leads into private networks, unless the owner allows it; asked when a connection is made. */
  readonly lookup: LookupFunction | undefined
}

/** How an edge asks home. */
export interface HomeRoute {
  /** What it shows home, for the field that edges are known by. */
  readonly credentials: string
  /** The way past home to the origin itself, for while home does not answer; undefined: it is not to be gone. */
  readonly origin: Route | undefined
}

/** A setup made ready for answering requests of one channel of one site. */
export interface Route {
  readonly siteId: string
  readonly channel: Channel
  /** Whoever asks must have it; undefined: anybody may. */
  readonly key: string | undefined
  /** Other host names of the same site, whose addresses become this channel's own. */
  readonly otherNames: readonly string[]
  /** Keeps what is stored for this channel apart from everything else. */
  readonly partition: string
  /** The channel that requests are counted under, whatever setup answers them. */
  readonly countedAs: string
  readonly origin: OriginRoute
  /** Set where this is an edge: `origin` is home then. */
  readonly home: HomeRoute | undefined
  readonly bypassRules: BypassRules
  readonly ruleFor: (path: string) => PathRule
  /** The same for any kind of page; undefined where no kind names one. */
  readonly sessionCookie: ((name: string) => boolean) | undefined
  /** For private copies, whatever their kind. */
  readonly privateRule: PathRule
  readonly ignoredParameter: (name: string) => boolean
  readonly sortParameters: boolean
  readonly byDevice: boolean
  /** Largest main picture, as AVIF, that is put into pages for phones; 0: none is. */
  readonly inlineLcpImageBytes: number
  /** Whether browsers that wait for a page are told what it will need. */
  readonly earlyHints: boolean
  readonly fragments: boolean
  /** Requests to the origin for the fragments of one visitor's page. */
  readonly fragmentRequests: number
  /** Codings offered, in order of preference; empty when compression is off. */
  readonly codings: readonly Coding[]
  readonly leastCompressedBytes: number
  /** undefined when the browser cache remedy is off. */
  readonly browserLifetimes: Readonly<Record<FileKind, Seconds>> | undefined
  /** Whether files with a digest in their name are kept for a year. */
  readonly fingerprinted: boolean
  /** How long a CDN in front may keep pages; 0: nothing is said. */
  readonly edgePages: Seconds
  /** Whether pages name files of the site by another host, so that browsers need a word that others may use them. */
  readonly filesForOthers: boolean
  readonly serverTiming: boolean
  readonly redirectToHttps: boolean
  /** undefined when no remedy rewrites anything. */
  readonly rewriting: Rewriting | undefined
  /** How pages of this channel have their links fetched ahead, so that such requests must cost the origin nothing; undefined: not at all. */
  readonly prefetch: Remedies['prefetch'] | undefined
  /** undefined when polls are not slowed. */
  readonly polls: SlowedPolls | undefined
  /** What a certificate authority is answered, by path (RFC 8555 §8.3); undefined: none asks. */
  readonly challenges: ReadonlyMap<string, string> | undefined
}

const challengesOf = ({ challenges }: DeliverySite): Route['challenges'] =>
  challenges.length === 0
    ? undefined
    : new Map(challenges.map(({ token, answer }) => [`/.well-known/acme-challenge/${token}`, answer]))

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

const reusePolicy = (settings: PageCacheSettings, pages: number): ReusePolicy => ({
  lifetimes: {
    pages: seconds(pages),
    api: seconds(settings.apiLifetimeS),
    files: seconds(settings.fileLifetimeS),
  },
  staleWhileRevalidate: seconds(settings.staleWhileRevalidateS),
  staleIfError: seconds(settings.staleIfErrorS),
  obeyRequest: settings.obeyRequestDirectives,
  staleThoughExpired: settings.staleThoughExpired,
  staleBesideSharedLifetime: settings.staleBesideSharedLifetime,
})

const NO_COOKIE = (): boolean => false

/** The rule of a path: the first kind that fits. Made once, so that what is known of a copy under a rule stays known. */
const compileRules = (settings: PageCacheSettings): Route['ruleFor'] => {
  const plain: PathRule = {
    kind: null,
    reuse: reusePolicy(settings, settings.lifetimeS),
    ignoredCookie: NO_COOKIE,
    overrule: undefined,
    sessionCookie: undefined,
  }
  const kinds = settings.kinds.map((kind) => {
    const ignoredCookie = namePatterns(kind.ignoredCookies)
    const heldBack = namePatterns([...kind.ignoredCookies, ...kind.sessionCookies])
    const rule: PathRule = {
      kind: kind.name,
      reuse: reusePolicy(settings, kind.lifetimeS ?? settings.lifetimeS),
      ignoredCookie,
      overrule: kind.overrule || kind.sessionCookies.length > 0 ? { ignoredCookie: heldBack } : undefined,
      sessionCookie: kind.sessionCookies.length > 0 ? namePatterns(kind.sessionCookies) : undefined,
    }
    return { fits: pathPatterns(kind.paths), rule }
  })
  if (kinds.length === 0) return () => plain
  return (path) => kinds.find(({ fits }) => fits(path))?.rule ?? plain
}

/** A private copy is fresh for a short time, and never handed out stale: what it shows may be a basket. */
const privateRule = (settings: PageCacheSettings): PathRule => ({
  kind: null,
  reuse: {
    lifetimes: { pages: seconds(settings.privateLifetimeS), api: seconds(0), files: seconds(0) },
    staleWhileRevalidate: seconds(0),
    staleIfError: seconds(0),
    obeyRequest: true,
  },
  ignoredCookie: NO_COOKIE,
  overrule: undefined,
  sessionCookie: undefined,
})

/** Remedies that change bytes. */
const REWRITING = [
  'minify',
  'fingerprint',
  'images',
  'fonts',
  'localCopies',
  'lazy',
  'scriptOrder',
  'hints',
  'unusedStyles',
  'criticalStyles',
  'stillVideo',
  'combine',
  'unusedScripts',
  'prefetch',
  'filesCdn',
] as const

const compileRewriting = ({ knowledge }: DeliverySite, { remedies }: Setup): Rewriting | undefined => {
  if (!REWRITING.some((id) => remedies[id].enabled)) return undefined
  const inForce = REWRITING.map((id) => remedies[id])
  const digest = createHash('sha256')
    .update(JSON.stringify([inForce, knowledge]))
    .digest('hex')
    .slice(0, 20)
  return { remedies, knowledge, digest }
}

const compilePolls = ({ remedies: { polling } }: Setup): SlowedPolls | undefined => {
  if (!polling.enabled) return undefined
  const slowed = pathPatterns(polling.paths)
  const left = compileExceptions(polling.exceptions)
  return { fits: (path) => slowed(path) && left.page(path) === undefined, everyMs: polling.everyS * 1000 }
}

/**
 * Names by which the site calls itself, besides the one of a channel. Live keeps them, but for a public name that it is not served under: links would
 * lead visitors away from here.
 */
const otherNames = ({ channels, origin }: DeliverySite, channel: Channel): string[] => {
  const live = channels.filter((one) => one.channel === 'live').flatMap(({ hosts }) => hosts)
  const asked = origin.hostHeader === 'public' ? origin.publicAddress : undefined
  const named = asked === undefined ? [] : [new URL(asked).hostname]
  if (channel === 'live') return named.filter((name) => !live.includes(name))
  return [...new Set([...live, ...named, new URL(origin.base).host])]
}

const compileRoute = (site: DeliverySite, served: DeliverySite['channels'][number]): Route => {
  const { channel, setup, key, apart } = served
  const { pageCache, compression, hints, prefetch } = setup.remedies
  const codings: Coding[] = compression.enabled
    ? [...(compression.brotli ? (['br'] as const) : []), ...(compression.gzip ? (['gzip'] as const) : [])]
    : []
  const sessionCookies = pageCache.kinds.flatMap((kind) => kind.sessionCookies)
  const route: Route = {
    siteId: site.siteId,
    channel,
    key,
    otherNames: otherNames(site, channel),
    partition: `${partitionOf(site.siteId, channel)}${apart === undefined ? '' : `~${apart}`}`,
    countedAs: partitionOf(site.siteId, channel),
    origin: { ...site.origin, lookup: lookupFor(site.origin.privateAddresses) },
    home: undefined,
    bypassRules: {
      pageCache: pageCache.enabled,
      passesPath: pathPatterns(pageCache.passPaths),
      passesParameter: namePatterns(pageCache.passParameters),
      visitorCookie: namePatterns(pageCache.visitorCookies),
      authorCookie: namePatterns(pageCache.authorCookies),
      signedIn: pageCache.signedIn,
      harmlessCookie: namePatterns(pageCache.harmlessCookies),
      harmlessField: namePatterns(pageCache.harmlessFields),
    },
    ruleFor: compileRules(pageCache),
    sessionCookie: sessionCookies.length > 0 ? namePatterns(sessionCookies) : undefined,
    privateRule: privateRule(pageCache),
    ignoredParameter: namePatterns(pageCache.ignoredParameters),
    sortParameters: pageCache.sortParameters,
    byDevice: isKeptByDevice(setup.remedies),
    inlineLcpImageBytes: inlineLcpImageBytes(setup.remedies),
    earlyHints: hints.enabled && hints.early,
    fragments: pageCache.fragments,
    fragmentRequests: pageCache.fragmentRequests,
    codings,
    leastCompressedBytes: compression.leastBytes,
    browserLifetimes: browserLifetimes(setup),
    fingerprinted: setup.remedies.browserCache.fingerprinted,
    edgePages: seconds(setup.remedies.browserCache.enabled ? setup.remedies.browserCache.edgePageS : 0),
    // Of live too while it is tried: a CDN fetches from live.
    filesForOthers: site.channels.some((one) => one.setup.remedies.filesCdn.enabled),
    serverTiming: setup.serverTiming,
    redirectToHttps: setup.redirectToHttps,
    rewriting: compileRewriting(site, setup),
    prefetch: prefetch.enabled && pageCache.enabled ? prefetch : undefined,
    polls: compilePolls(setup),
    challenges: challengesOf(site),
  }
  return site.home === undefined ? route : throughHome(route, site.home)
}

/** The same route for an edge: home is asked in the origin's place, by the names visitors use. */
const throughHome = (route: Route, { base, edge, key, whenAway }: HomeStore): Route => ({
  ...route,
  otherNames: [],
  origin: { ...route.origin, base, hostHeader: 'visitor', privateAddresses: 'allowed', lookup: undefined },
  home: { credentials: `${edge} ${key}`, origin: whenAway === 'ask-origin' ? route : undefined },
})

type CompiledSite = readonly { readonly hosts: readonly string[]; readonly route: Route }[]

/** Makes configurations ready for answering requests; a site whose configuration is what it was before keeps its routes, and all that is known by them. */
export class RouteCompiler {
  #sites = new Map<string, CompiledSite>()

  /** Routes of a configuration; where two sites name the same host, the first one keeps it. */
  compile(config: DeliveryConfig): Routes {
    const sites = new Map<string, CompiledSite>()
    const routes = new Map<string, Route>()
    for (const site of config.sites) {
      const text = JSON.stringify(site)
      const compiled =
        this.#sites.get(text) ??
        site.channels.map((served) => ({ hosts: served.hosts, route: compileRoute(site, served) }))
      sites.set(text, compiled)
      for (const { hosts, route } of compiled) for (const host of hosts) if (!routes.has(host)) routes.set(host, route)
    }
    this.#sites = sites
    return routes
  }
}

export const compileRoutes = (config: DeliveryConfig): Routes => new RouteCompiler().compile(config)

/**
 * Partitions of trial whose pages would be rewritten in another way from now on: because other remedies are on, or because more is known of the
 * pages. Live pages are left until they are fetched anew: no visitor should wait because something was measured.
 */
export const rewrittenAnew = (before: Routes, after: Routes): string[] => {
  const digests = (routes: Routes): Map<string, string | undefined> =>
    new Map(
      [...routes]
        .filter(([, { channel }]) => channel === 'trial')
        .map(([, one]) => [one.partition, one.rewriting?.digest]),
    )
  const old = digests(before)
  return [...digests(after)]
    .filter(([partition, digest]) => old.has(partition) && old.get(partition) !== digest)
    .map(([partition]) => partition)
}

/** The host name of a Host field, without port, in lower case. */
export const hostName = (host: string): string => host.toLowerCase().replace(/:\d+$/, '')
