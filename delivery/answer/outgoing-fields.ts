import { browserCacheControl } from '../../core/http/browser-lifetime.ts'
import { cacheStatus, type Outcome } from '../../core/http/cache-status.ts'
import { fieldValue, hasField, listMembers, withField, type Fields } from '../../core/http/fields.ts'
import { seconds, type Seconds } from '../../core/time.ts'
import type { Exchange } from '../exchange.ts'
import type { Route } from '../routing.ts'

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
  route: Route,
  shared: boolean,
): Fields => {
  if (route.browserLifetimes === undefined) return fields
  const lifetimes = shared ? route.browserLifetimes : { ...route.browserLifetimes, page: seconds(0) }
  const value = browserCacheControl(status, fields, lifetimes)
  // `public` or `no-transform` from the origin stays beside what is added.
  const before = fieldValue(fields, 'cache-control')
  return value === undefined
    ? fields
    : withField(fields, 'cache-control', before === undefined ? value : `${before}, ${value}`)
}

/**
 * Browsers take Age off max-age (RFC 9111 §4.2.3). Where the owner set the browser's lifetime, it is meant to start now,
 * however long the copy has been in the store; so the age is added.
 */
export const extendByAge = (cacheControl: string, age: Seconds): string =>
  cacheControl.replace(
    /max-age=(\d+)/,
    (_match, lifetime: string) => `max-age=${Number(lifetime) + Math.floor(age)}`,
  )

/** RFC 9211 §2: caches append, the one nearest to the visitor last. */
const statusField = (fields: Fields, outcome: Outcome): string => {
  const before = fieldValue(fields, 'cache-status')
  return before === undefined ? cacheStatus(outcome) : `${before}, ${cacheStatus(outcome)}`
}

/** Fields that every answer gets last: how it came about, and that trial is not for search engines. */
export const closingFields = (fields: Fields, exchange: Exchange, outcome: Outcome): Fields => {
  const { route, io, startedAt } = exchange
  let result = withField(fields, 'cache-status', statusField(fields, outcome))
  if (route.channel === 'trial') result = withField(result, 'x-robots-tag', 'noindex')
  if (!route.serverTiming) return result
  const duration = (io.elapsed() - startedAt).toFixed(1)
  return [...result, ['server-timing', `zest;dur=${duration};desc="${outcome.kind}"`]]
}

export const flat = (fields: Fields): string[] => fields.flat()

export const withDate = (fields: Fields, now: number): Fields =>
  hasField(fields, 'date') ? fields : [...fields, ['date', new Date(now).toUTCString()]]
