import { endToEndFields, fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { USER_AGENT, type DeviceClass } from '../../core/http/device.ts'
import type { Route } from '../routing.ts'

/** Who asked, as far as the origin needs to know. */
export interface Visitor {
  readonly address: string
  /** Without port, in lower case. */
  readonly hostName: string
  /**
   * Host and public port as absolute addresses are to have them. Not what the visitor wrote: a made-up port would end up in the links of
   * a page that everyone gets.
   */
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

/** What a browser asks for a page with; sites that look at Accept tell pages from data by it. */
const ACCEPT = 'text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8'
/** Fields that belong to one visitor or one connection, whatever Vary says. */
const NEVER_DISCLOSED = new Set(['cookie', 'authorization', 'range', 'cache-control', 'pragma'])

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
): Fields => {
  const passed = addressed(endToEndFields(fields), fields, route, visitor, instance)
  // Addresses in the pages of a trial are read and written anew, which needs them uncoded.
  return route.otherNames.length === 0 ? passed : withField(passed, 'accept-encoding', 'identity')
}

/** How a request is put to the origin when its answer will be kept. */
export interface StorableRequest {
  readonly visitor: Visitor
  readonly device: DeviceClass
  /** Cookie field of the one visitor that a private copy is for. */
  readonly cookie: string | undefined
  /** If-None-Match and If-Modified-Since of what is stored, or nothing. */
  readonly condition: Fields
  /** Fields that copies of this address are kept apart by: the visitor's own values go along. */
  readonly disclosed: readonly string[]
}

/**
 * Fields for a request whose answer will be kept. What reaches the origin is part of the key or the same for everybody: anything else of one
 * visitor could change the page for everyone after (cache poisoning). The bytes are asked for uncoded, since codings are made here.
 */
export const storableRequestFields = (
  fields: Fields,
  route: Route,
  { visitor, device, cookie, condition, disclosed }: StorableRequest,
  instance: string,
): Fields => {
  const names = new Set(disclosed.filter((name) => !NEVER_DISCLOSED.has(name)))
  const own = endToEndFields(fields).filter(([name]) => names.has(name))
  const common: [string, string][] = [
    ['accept', ACCEPT],
    ['user-agent', USER_AGENT[device]],
  ]
  return addressed(
    [
      ...common.filter(([name]) => !names.has(name)),
      ...own,
      ...(cookie === undefined ? [] : [['cookie', cookie] as const]),
      ['accept-encoding', 'identity'],
      // W3C Edge Architecture Specification 1.0 §3.1: the origin may send fragments instead of personal pages.
      ...(route.fragments ? [['surrogate-capability', 'zest="ESI/1.0"'] as const] : []),
      ...condition,
    ],
    fields,
    route,
    visitor,
    instance,
  )
}
