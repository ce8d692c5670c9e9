import { cookieNameOf } from '../http/set-cookie.ts'
import { LIFETIME_FIELDS, sharedDirectives } from '../http/cdn-cache-control.ts'
import { fieldLines, hasField, withoutFields, type Fields } from '../http/fields.ts'
import { upTo } from '../http/up-to.ts'

/**
 * The owner's word against the origin's, for one kind of page and signed-out visitors. Many sites forbid storing every page because
 * their session handling says so by default, not because the page is personal.
 */
export interface CacheControlOverride {
  /** Cookies that every visitor gets and that do not change the page: setting one does not keep an answer from being stored. */
  readonly ignoredCookie: (name: string) => boolean
}

const forbids = (fields: Fields): boolean => {
  const { directives } = sharedDirectives(fields)
  const unstorable = ['no-store', 'private', 'no-cache'].some((name) => directives.has(name))
  const atOnceStale = ['max-age', 's-maxage'].some((name) => /^0*$/.test(directives.get(name) ?? 'x'))
  return unstorable || atOnceStale
}

/** Shorter values occur in any page by accident. */
const SHORTEST_VALUE = 8

/** Whether a page holds the value of a cookie that came with it and was held back: it is the page of that session, and nobody else's. */
export const holdsItsCookie = (answered: Fields, read: Fields, page: Buffer): boolean =>
  !hasField(read, 'set-cookie') &&
  fieldLines(answered, 'set-cookie').some((line) => {
    const value = upTo(line, ';').split('=').slice(1).join('=').trim()
    return value.length >= SHORTEST_VALUE && page.includes(value)
  })

/**
 * The fields of a response as the owner wants them read: a storing ban and cookies that everybody gets are taken off. A cookie that is
 * not named stays, and keeps the answer from being stored; a lifetime that the origin gives stays too. Only whole pages (200): a
 * redirect to the sign-in, or an error, stays as it is.
 */
export const overrideCacheControl = (
  response: { readonly status: number; readonly fields: Fields },
  overrule: CacheControlOverride | undefined,
): Fields => {
  if (overrule === undefined || response.status !== 200) return response.fields
  const cookies = fieldLines(response.fields, 'set-cookie')
  const harmless = cookies.every((line) => overrule.ignoredCookie(cookieNameOf(line)))
  let { fields } = response
  if (forbids(fields)) fields = withoutFields(fields, LIFETIME_FIELDS)
  if (cookies.length > 0 && harmless) fields = withoutFields(fields, new Set(['set-cookie']))
  return fields
}
