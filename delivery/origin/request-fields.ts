import { endToEndFields, fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import type { Route } from '../routing.ts'

/** Who asked, as far as the origin needs to know. */
export interface Visitor {
  readonly address: string
  readonly host: string
  readonly scheme: 'http' | 'https'
}

/**
 * Forwarded fields say who the visitor is; taken from outside they would let anyone claim to be anyone, so they are
 * always written anew.
 */
const FORWARDED = new Set([
  'forwarded',
  'x-forwarded-for',
  'x-forwarded-host',
  'x-forwarded-proto',
  'x-forwarded-port',
  'x-real-ip',
])

/**
 * The only fields of a visitor that reach the origin when the answer will be shared. Anything else could change the page
 * for everyone after (cache poisoning), cookies most of all.
 */
const SHARED = new Set(['accept', 'accept-language', 'user-agent', 'host'])

/** RFC 9110 §7.6.3: lets a message that comes round again be recognised. */
const viaOf = (fields: Fields, instance: string): string => {
  const before = fieldValue(fields, 'via')
  return before === undefined ? `1.1 ${instance}` : `${before}, 1.1 ${instance}`
}

const addressed = (
  fields: Fields,
  original: Fields,
  route: Route,
  visitor: Visitor,
  instance: string,
): Fields => {
  const host = route.origin.hostHeader === 'visitor' ? visitor.host : new URL(route.origin.base).host
  let result = withoutFields(fields, FORWARDED)
  result = withField(result, 'host', host)
  result = withField(result, 'via', viaOf(original, instance))
  result = withField(result, 'x-forwarded-for', visitor.address)
  result = withField(result, 'x-forwarded-host', visitor.host)
  return withField(result, 'x-forwarded-proto', visitor.scheme)
}

/** Fields for a request that passes through: everything of the visitor's but what is for this connection only. */
export const passedRequestFields = (
  fields: Fields,
  route: Route,
  visitor: Visitor,
  instance: string,
): Fields => addressed(endToEndFields(fields), fields, route, visitor, instance)

/**
 * Fields for a request whose answer will be stored and shared: the bytes are asked for uncoded, since codings are
 * made here.
 * @param condition If-None-Match and If-Modified-Since of what is stored, or nothing
 */
export const sharedRequestFields = (
  fields: Fields,
  route: Route,
  visitor: Visitor,
  instance: string,
  condition: Fields,
): Fields => {
  const kept = fields.filter(([name]) => SHARED.has(name))
  return addressed([...kept, ['accept-encoding', 'identity'], ...condition], fields, route, visitor, instance)
}
