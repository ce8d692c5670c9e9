import { browserCacheControl } from '../../core/http/browser-lifetime.ts'
import { cacheStatus, type Outcome } from '../../core/http/cache-status.ts'
import { EDGE_CACHE_CONTROL, NOT_AT_EDGES } from '../../core/http/edge-cache-control.ts'
import { isFingerprinted } from '../../core/http/fingerprint.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { fieldValue, hasField, listMembers, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { seconds, type Seconds } from '../../core/time.ts'
import type { RequestContext } from './request-context.ts'
import type { Route } from '../request/routes.ts'

/** Add a name to Vary unless it is there. */
export const varyBy = (fields: Fields, name: string): Fields => {
  const names = listMembers(fieldValue(fields, 'vary') ?? '')
  if (names.includes('*') || names.some((have) => have.toLowerCase() === name.toLowerCase())) return fields
  return withField(fields, 'vary', [...names, name].join(', '))
}

/**
 * The owner's browser lifetimes written into the fields.
 * @param shared whether the answer is the same for every visitor; a personal page is never kept unchecked
 */
export const withBrowserLifetime = (
  fields: Fields,
  status: number,
  { route, path }: { readonly route: Route; readonly path: string },
  shared: boolean,
): Fields => {
  if (route.browserLifetimes === undefined) return fields
  const lifetimes = shared ? route.browserLifetimes : { ...route.browserLifetimes, page: seconds(0) }
  const value = browserCacheControl(status, fields, lifetimes, route.fingerprinted && isFingerprinted(path))
  // `public` or `no-transform` from the origin stays beside what is added.
  const before = fieldValue(fields, 'cache-control')
  return value === undefined
    ? fields
    : withField(fields, 'cache-control', before === undefined ? value : `${before}, ${value}`)
}

const FILE = /\.(?:css|js|woff2?|ttf|otf|eot|avif|webp|jpe?g|png|gif|svg)$/i

/**
 * Files that pages name by the host of a CDN may be read by those pages (Fetch §3.3.3, CORS): browsers ask for it for fonts, masks and rules of styles.
 * What the origin says of it itself stays. The star never lets cookies along: what others may read is what anybody gets who
 * asks without any.
 */
export const withFilesForOthers = (
  fields: Fields,
  { route, path }: { readonly route: Route; readonly path: string },
): Fields =>
  !route.filesForOthers || !FILE.test(path) || hasField(fields, 'access-control-allow-origin')
    ? fields
    : [...fields, ['access-control-allow-origin', '*']]

/**
 * What a CDN in front is told of a page that everyone shares (RFC 9213), apart from what browsers are told. An origin that speaks to CDNs itself
 * is left to it.
 */
export const withEdgeLifetime = (fields: Fields, status: number, route: Route): Fields =>
  route.edgePages === 0 || status !== 200 || !isHtml(fields) || hasField(fields, 'cdn-cache-control')
    ? fields
    : withField(fields, 'cdn-cache-control', `max-age=${route.edgePages}`)

/**
 * Browsers take Age off max-age (RFC 9111 §4.2.3). Where the owner set the browser's lifetime, it is meant to start now,
 * however long the copy has been in the store; so the age is added.
 */
export const extendByAge = (cacheControl: string, age: Seconds): string =>
  cacheControl.replace(/max-age=(\d+)/, (_match, lifetime: string) => `max-age=${Number(lifetime) + Math.floor(age)}`)

/** Fields that are written again for every answer. What the origin tells search engines counts for live, and not for trial. */
export const writtenAnew = ({ channel }: Pick<Route, 'channel'>): ReadonlySet<string> =>
  channel === 'trial' ? ANEW_IN_TRIAL : ANEW
const ANEW = new Set(['cache-status', EDGE_CACHE_CONTROL])
const ANEW_IN_TRIAL = new Set([...ANEW, 'x-robots-tag'])

/**
 * What every answer gets last: how it came about, and that trial is not for search engines.
 * @param before Cache-Status of caches further away (RFC 9211 §2: caches append, the one nearest to the visitor last)
 * @param atEdges what edges are told of keeping it
 */
export const closing = (
  before: string | undefined,
  context: RequestContext,
  outcome: Outcome,
  atEdges: string = NOT_AT_EDGES,
): [string, string][] => {
  const { route, io, startedAt } = context
  const status = cacheStatus(outcome, route.home === undefined ? 'home' : 'edge')
  const fields: [string, string][] = [['cache-status', before === undefined ? status : `${before}, ${status}`]]
  if (context.edge !== undefined) fields.push([EDGE_CACHE_CONTROL, atEdges])
  if (route.channel === 'trial') fields.push(['x-robots-tag', 'noindex'])
  if (route.serverTiming)
    fields.push(['server-timing', `zest;dur=${(io.elapsed() - startedAt).toFixed(1)};desc="${outcome.kind}"`])
  return fields
}

export const closingFields = (fields: Fields, context: RequestContext, outcome: Outcome): Fields => [
  ...withoutFields(fields, writtenAnew(context.route)),
  ...closing(fieldValue(fields, 'cache-status'), context, outcome),
]

/** Names and values in turn, as Node takes them. A loop: Array.flat takes a tenth of the time of a whole answer. */
export const flat = (fields: Fields): string[] => {
  const list: string[] = []
  for (const [name, value] of fields) list.push(name, value)
  return list
}

export const withDate = (fields: Fields, now: number): Fields =>
  hasField(fields, 'date') ? fields : [...fields, ['date', new Date(now).toUTCString()]]
