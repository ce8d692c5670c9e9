import { codedEntityTag, isEntityTag } from '../../core/http/conditional.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { fieldValue, hasField, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { isCompressible, type Coding } from '../../core/http/negotiation.ts'
import { kindLabel } from '../metrics/counters.ts'
import { isOwnCopy, pathOfKey } from '../cache-keys/partitions.ts'
import { isGeneratedPath } from '../transform/generated-assets.ts'
import type { Route } from '../request/routes.ts'
import { plainBody, type StoredEntry } from '../store/response-store.ts'
import {
  flat,
  varyBy,
  withBrowserLifetime,
  withEdgeLifetime,
  withFilesForOthers,
  writtenAnew,
} from './response-fields.ts'

/** Fields of one coding under one route, made once and used for every hit. */
export interface Prepared {
  /** Names and values in turn; without those that differ from answer to answer. */
  readonly fixed: readonly string[]
  /** The same for a 304. */
  readonly fixed304: readonly string[]
  readonly etag: string
  readonly lastModified: string | undefined
  /** Cache-Control that holds the owner's lifetime, which starts when the browser gets it. */
  readonly ownerLifetime: string | undefined
  readonly page: boolean
  /** Whether it had an age already when it came: a cache stands in between. */
  readonly aged: boolean
  /** What it is counted under. */
  readonly kind: string
  /** Cache-Status of caches between here and the origin. */
  readonly statusBefore: string | undefined
}

const preparedByEntry = new WeakMap<StoredEntry, WeakMap<Route, Map<Coding, Prepared>>>()
/** Whether codings are offered of an entry at all; asked for on every hit, so known once. */
const offered = new WeakMap<StoredEntry, { route: Route; codings: boolean }>()

export const mayBeCoded = (route: Route, entry: StoredEntry): boolean => {
  const known = offered.get(entry)
  if (known?.route === route) return known.codings
  const codings = isCodable(route, entry)
  offered.set(entry, { route, codings })
  return codings
}

const isCodable = (route: Route, entry: StoredEntry): boolean =>
  route.codings.length > 0 &&
  isCompressible(fieldValue(entry.fields, 'content-type')) &&
  !parseDirectives(fieldValue(entry.fields, 'cache-control')).has('no-transform') &&
  plainBody(entry).bytes >= route.leastCompressedBytes

const NOT_IN_304 = new Set(['content-length', 'content-encoding', 'content-type', 'last-modified'])
/** What is said to this cache only. */
export const FOR_US = new Set(['cache-groups', 'surrogate-control'])

/** Cache-Control of a copy whose origin was not followed: kept here by the owner's word, which is no word to browsers. */
const withCareForBrowsers = (fields: Fields, entry: StoredEntry): Fields => {
  if (entry.askEachTime !== true || hasField(fields, 'cache-control')) return fields
  return withField(fields, 'cache-control', isOwnCopy(entry.key) ? 'private, no-cache' : 'no-cache')
}

/** Vary as it is after what is done here: codings and devices are told apart by fields of the request. */
const withOwnVary = (fields: Fields, route: Route, entry: StoredEntry): Fields => {
  const coded = mayBeCoded(route, entry) ? varyBy(fields, 'accept-encoding') : fields
  return withDeviceVary(coded, route, entry.fields)
}

/** Vary of a page that is kept by device class. @param own fields that tell whether it is a page */
export const withDeviceVary = (fields: Fields, route: Route, own: Fields): Fields => {
  if (!route.byDevice || !isHtml(own)) return fields
  const byDevice = varyBy(varyBy(fields, 'sec-ch-ua-mobile'), 'user-agent')
  return route.inlineLcpImageBytes > 0 ? varyBy(byDevice, 'accept') : byDevice
}

/** Bytes of one coding made twice are not the same bytes, so the quick and the best one need tags of their own (RFC 9110 §8.8.1). */
const tagOf = (entry: StoredEntry, coding: Coding): string => {
  const own = fieldValue(entry.fields, 'etag')
  // Some origins send tags without quotes; such a tag is no use to browsers, the digest of the bytes is.
  // The origin's tag does not stand for bytes that were rewritten here.
  const tag =
    own !== undefined && isEntityTag(own) && entry.rewritten !== true
      ? own
      : `"zl-${plainBody(entry).digest.slice(0, 22)}"`
  const best = entry.bodies.find((body) => body.coding === coding)?.best === true
  return codedEntityTag(tag, best ? `${coding}-best` : coding)
}

const prepare = (route: Route, entry: StoredEntry, coding: Coding): Prepared => {
  const etag = tagOf(entry, coding)
  const shared = !isOwnCopy(entry.key)
  const path = pathOfKey(entry.key)
  // What is shown in a frame and was made here is no page of the site.
  const page = isHtml(entry.fields) && !isGeneratedPath(entry)
  let fields = withBrowserLifetime(withoutFields(entry.fields, FOR_US), entry.status, { route, path }, shared)
  const before = fieldValue(entry.fields, 'cache-control')
  const cacheControl = fieldValue(fields, 'cache-control')
  const ownerLifetime = cacheControl !== before && cacheControl?.includes('max-age=') ? cacheControl : undefined
  fields = withFilesForOthers(withCareForBrowsers(fields, entry), { route, path })
  if (shared) fields = withEdgeLifetime(fields, entry.status, route)
  fields = withOwnVary(withField(fields, 'etag', etag), route, entry)
  if (coding === 'identity' && entry.status === 200) fields = withField(fields, 'accept-ranges', 'bytes')
  if (coding !== 'identity') fields = withField(fields, 'content-encoding', coding)
  const changing = new Set([...writtenAnew(route), 'age', ...(ownerLifetime === undefined ? [] : ['cache-control'])])
  const fixed = withoutFields(fields, changing)
  return {
    fixed: flat(fixed),
    fixed304: flat(withoutFields(fixed, NOT_IN_304)),
    etag,
    lastModified: fieldValue(entry.fields, 'last-modified'),
    ownerLifetime,
    page,
    aged: hasField(entry.fields, 'age'),
    kind: kindLabel(route.ruleFor(path).kind, page, path),
    statusBefore: fieldValue(entry.fields, 'cache-status'),
  }
}

export const prepared = (route: Route, entry: StoredEntry, coding: Coding): Prepared => {
  let byRoute = preparedByEntry.get(entry)
  if (byRoute === undefined) preparedByEntry.set(entry, (byRoute = new WeakMap()))
  let byCoding = byRoute.get(route)
  if (byCoding === undefined) byRoute.set(route, (byCoding = new Map()))
  let found = byCoding.get(coding)
  if (found === undefined) byCoding.set(coding, (found = prepare(route, entry, coding)))
  return found
}
