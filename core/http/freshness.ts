import { deltaSeconds, type Directives } from './directives.ts'
import { fieldLines, fieldValue, type Fields } from './fields.ts'
import { parseHttpDate } from './http-date.ts'
import { sharedDirectives } from './cdn-cache-control.ts'
import { seconds, secondsBetween, type EpochMs, type Seconds } from '../time.ts'

/** The owner's lifetimes for responses whose origin gives none. Zero means: give none. */
export interface OwnerLifetimes {
  /** HTML, feeds and sitemaps */
  readonly pages: Seconds
  /** JSON: answers of programming interfaces */
  readonly api: Seconds
  /** everything else */
  readonly files: Seconds
}

/** Where a freshness lifetime came from. */
export const LIFETIME_SOURCES = ['s-maxage', 'max-age', 'expires', 'owner', 'heuristic', 'none'] as const
export type LifetimeSource = (typeof LIFETIME_SOURCES)[number]

export interface FreshnessLifetime {
  readonly lifetime: Seconds
  readonly source: LifetimeSource
}

/** RFC 9110 §15.1: final statuses that may be given a lifetime without the origin's word. */
const HEURISTICALLY_CACHEABLE = new Set([200, 203, 204, 300, 301, 308, 404, 405, 410, 414, 501])
/** RFC 9111 §4.2.2: "a typical setting of this fraction might be 10%". */
const HEURISTIC_FRACTION = 0.1
/** Common practice: a guess is never trusted for longer than a day. */
const HEURISTIC_LIMIT = 86_400

/** Statuses an owner's lifetime applies to: whole pages and lasting redirects, never errors. */
const OWNER_STATUSES = new Set([200, 203, 301, 308])

export const isHtml = (fields: Fields): boolean =>
  /^\s*(text\/html|application\/xhtml\+xml)\b/i.test(fieldValue(fields, 'content-type') ?? '')

/** Feeds and sitemaps live and change with the pages they list. */
const FEED = /^\s*(application|text)\/([\w.+-]*\+)?xml\b/i
const DATA = /^\s*(application|text)\/([\w.+-]*\+)?json\b/i

/** Files that pages are made of. Whatever else there is may be anything: a file made for one visitor, an answer of a program. */
const FILE =
  /^\s*(?:text\/(?:css|javascript|ecmascript|plain)|application\/(?:javascript|x-javascript|ecmascript|wasm|manifest\+json|pdf|vnd\.ms-fontobject|(?:x-)?font-[\w-]+)|(?:image|font|audio|video)\/[\w.+-]+)(?=\s*(?:;|$))/i

/** Feeds are there to tell of changes, and nobody but their readers notices an old one: they never get the lifetime of a page, s. */
const LONGEST_FEED = 600

/** Whether an answer is JSON. */
export const isJson = (fields: Fields): boolean => DATA.test(fieldValue(fields, 'content-type') ?? '')

const ownerLifetime = (fields: Fields, owner: OwnerLifetimes): Seconds => {
  const type = fieldValue(fields, 'content-type') ?? ''
  if (isHtml(fields)) return owner.pages
  if (FEED.test(type)) return seconds(Math.min(owner.pages, LONGEST_FEED))
  if (FILE.test(type)) return owner.files
  return isJson(fields) ? owner.api : seconds(0)
}

/** Date of the response, or the time it arrived when it has none (RFC 9110 §6.6.1). */
const dateValue = (fields: Fields, responseTime: EpochMs): EpochMs =>
  parseHttpDate(fieldLines(fields, 'date')[0] ?? '', responseTime) ?? responseTime

const explicitLifetime = (
  fields: Fields,
  directives: Directives,
  targeted: boolean,
  responseTime: EpochMs,
): FreshnessLifetime | undefined => {
  const shared = deltaSeconds(directives, 's-maxage')
  if (shared !== undefined) return { lifetime: shared, source: 's-maxage' }
  const maxAge = deltaSeconds(directives, 'max-age')
  if (maxAge !== undefined) return { lifetime: maxAge, source: 'max-age' }
  // RFC 9213 §2.1: beside a targeted field, Expires is ignored like Cache-Control.
  const expires = targeted ? [] : fieldLines(fields, 'expires')
  if (expires.length === 0) return undefined
  // RFC 9111 §5.3: an invalid date, "0" in particular, means already expired; so do several different ones (§4.2.1).
  const instants = expires.map((line) => parseHttpDate(line, responseTime))
  if (instants.some((at) => at === undefined || at !== instants[0])) return { lifetime: seconds(0), source: 'expires' }
  const lifetime = secondsBetween(dateValue(fields, responseTime), instants[0]!)
  return { lifetime: seconds(Math.max(0, lifetime)), source: 'expires' }
}

/**
 * Freshness lifetime in a shared store: s-maxage, else max-age, else Expires - Date (RFC 9111 §4.2.1), else the
 * owner's lifetime, else for anything but pages 10 % of Date - Last-Modified (§4.2.2).
 *
 * The owner's lifetime stands in the place of the heuristic, which §4.2.2 leaves to the cache; it never overrides a
 * lifetime that the origin gave.
 * @returns whole or fractional seconds, 0 or more
 * @throws never: a bad header must not fail a visitor's request
 */
export const freshnessLifetime = (
  response: { readonly status: number; readonly fields: Fields; readonly responseTime: EpochMs },
  owner: OwnerLifetimes,
): FreshnessLifetime => {
  const { status, fields, responseTime } = response
  const { directives, field } = sharedDirectives(fields)
  const explicit = explicitLifetime(fields, directives, field !== 'cache-control', responseTime)
  if (explicit !== undefined) return explicit
  const given = ownerLifetime(fields, owner)
  if (given > 0 && OWNER_STATUSES.has(status)) return { lifetime: given, source: 'owner' }
  const mayGuess = HEURISTICALLY_CACHEABLE.has(status) || directives.has('public')
  const modified = parseHttpDate(fieldValue(fields, 'last-modified') ?? '', responseTime)
  // A page's Last-Modified says little about when its menus and lists change, so pages get no guess.
  if (!mayGuess || isHtml(fields) || modified === undefined) return { lifetime: seconds(0), source: 'none' }
  const unchangedFor = secondsBetween(modified, dateValue(fields, responseTime))
  const guess = Math.min(HEURISTIC_LIMIT, Math.floor(Math.max(0, unchangedFor) * HEURISTIC_FRACTION))
  return { lifetime: seconds(guess), source: 'heuristic' }
}

/**
 * Corrected initial age of a response when it arrived (RFC 9111 §4.2.3).
 * @param requestTime when the request was sent @param responseTime when the response began to arrive
 */
export const correctedInitialAge = (fields: Fields, requestTime: EpochMs, responseTime: EpochMs): Seconds => {
  const apparentAge = Math.max(0, secondsBetween(dateValue(fields, responseTime), responseTime))
  const ageText = fieldLines(fields, 'age')[0]?.split(',')[0]?.trim() ?? ''
  // RFC 9111 §5.1: a value that is no non-negative integer is ignored.
  const ageValue = /^\d+$/.test(ageText) ? Number(ageText) : 0
  const correctedAgeValue = ageValue + secondsBetween(requestTime, responseTime)
  return seconds(Math.max(apparentAge, correctedAgeValue))
}

/** Current age (RFC 9111 §4.2.3). A clock that was set back never makes a response younger than on arrival. */
export const currentAge = (
  stored: { readonly correctedInitialAge: Seconds; readonly responseTime: EpochMs },
  now: EpochMs,
): Seconds => seconds(stored.correctedInitialAge + Math.max(0, secondsBetween(stored.responseTime, now)))
