import { timingSafeEqual } from 'node:crypto'
import { fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { TRIAL_KEY } from '../../core/http/trial-key.ts'
import type { SiteRequest } from './site-request.ts'

/** Whether a request may see the trial. */
export type TrialAccess =
  | { readonly kind: 'open'; readonly request: SiteRequest }
  /** The key came in the address: it goes into a cookie, and out of the address. */
  | { readonly kind: 'let-in'; readonly location: string; readonly cookie: string }
  | { readonly kind: 'closed' }

/** Lengths are those of the bytes: a letter outside of ASCII has more than one. */
const isKey = (given: string | undefined, key: string): boolean => {
  const [one, other] = [Buffer.from(given ?? ''), Buffer.from(key)]
  return one.length === other.length && timingSafeEqual(one, other)
}

const cookiePairs = (fields: Fields): string[] =>
  (fieldValue(fields, 'cookie') ?? '')
    .split(';')
    .map((pair) => pair.trim())
    .filter((pair) => pair !== '')

const isKeyPair = (pair: string): boolean => pair.startsWith(`${TRIAL_KEY}=`)

/** The fields without the key: the origin, and the store's idea of a visitor, know nothing of it. */
const withoutKey = (fields: Fields): Fields => {
  const others = cookiePairs(fields).filter((pair) => !isKeyPair(pair))
  const rest = withoutFields(fields, new Set([TRIAL_KEY]))
  if (!rest.some(([name]) => name === 'cookie')) return rest
  return others.length === 0 ? withoutFields(rest, new Set(['cookie'])) : withField(rest, 'cookie', others.join('; '))
}

/** Taken apart by hand: what a visitor sends need not be an address that a parser takes. */
const keyInAddress = (target: string): { given: string; rest: string } | undefined => {
  const mark = target.indexOf('?')
  if (mark === -1) return undefined
  const pairs = target.slice(mark + 1).split('&')
  const named = pairs.find(isKeyPair)
  if (named === undefined) return undefined
  const others = pairs.filter((pair) => !isKeyPair(pair))
  // One slash: two would name another host (RFC 3986 §4.2).
  const path = target.slice(0, mark).replace(/^[/\\]+/, '/')
  return {
    given: named.slice(TRIAL_KEY.length + 1),
    rest: others.length === 0 ? path : `${path}?${others.join('&')}`,
  }
}

/** Trial is for those who have its key: nobody comes across it by chance, and no search engine. Live stands open. */
export const trialAccess = (request: SiteRequest): TrialAccess => {
  const { route, fields, target, visitor } = request
  const { key } = route
  if (key === undefined) return { kind: 'open', request }
  const named = target.includes(TRIAL_KEY) ? keyInAddress(target) : undefined
  if (named !== undefined && isKey(named.given, key)) {
    const secure = visitor.scheme === 'https' ? '; Secure' : ''
    return {
      kind: 'let-in',
      location: named.rest,
      cookie: `${TRIAL_KEY}=${key}; Path=/; HttpOnly; SameSite=Lax; Max-Age=2592000${secure}`,
    }
  }
  const pair = cookiePairs(fields).find(isKeyPair)
  const given = fieldValue(fields, TRIAL_KEY) ?? pair?.slice(TRIAL_KEY.length + 1)
  // A manifest is asked for without cookies (W3C Web App Manifest §2): nothing of a page is in it.
  const manifest = fieldValue(fields, 'sec-fetch-dest') === 'manifest'
  if (!manifest && !isKey(given, key)) return { kind: 'closed' }
  return { kind: 'open', request: { ...request, fields: withoutKey(fields) } }
}
