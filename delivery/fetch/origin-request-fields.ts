import { cdnLoop } from '../../core/http/cdn-loop.ts'
import { endToEndFields, fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { ORIGIN_KEY_FIELD } from '../../core/http/origin-key.ts'
import { negotiateCoding } from '../../core/http/negotiation.ts'
import { normalisedValue } from '../../core/http/vary.ts'
import { DATA_ACCEPT, USER_AGENT, type DeviceClass } from '../../core/http/device.ts'
import { EDGE_FIELD } from '../request/edge-access.ts'
import type { Route } from '../request/routes.ts'
import type { Visitor } from '../request/site-request.ts'

/**
 * Forwarded fields say who the visitor is; taken from outside they would let anyone claim to be anyone, so they are
 * always written again.
 */
const FORWARDED = new Set([
  'forwarded',
  'x-forwarded-for',
  'x-forwarded-host',
  'x-forwarded-proto',
  'x-forwarded-port',
  'x-real-ip',
  // Nobody else is to try what the origin takes for it.
  ORIGIN_KEY_FIELD,
])

/** What a browser asks for a page with; sites that look at Accept tell pages from data by it. */
const ACCEPT = 'text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8'
/** Fields that belong to one visitor or one connection, whatever Vary says. */
const NEVER_DISCLOSED = new Set(['cookie', 'authorization', 'range', 'cache-control', 'pragma', ...FORWARDED])

/** Whether a field that copies are kept apart by may go along with a request that is shared. */
export const mayDisclose = (name: string): boolean => !NEVER_DISCLOSED.has(name)

/** RFC 9110 §7.6.3: lets a message that comes round again be recognised. */
const viaOf = (fields: Fields, instance: string): string => {
  const before = fieldValue(fields, 'via')
  return before === undefined ? `1.1 ${instance}` : `${before}, 1.1 ${instance}`
}

/** What home knows an edge by; nothing for anybody else. */
const forHome = ({ home }: Route): Fields => (home === undefined ? [] : [[EDGE_FIELD, home.credentials]])

/** Home has its pages coded already, and the way to it may be long; what is not kept goes on as it came, so the visitor has to take it. */
const codingsFromHome = (fields: Fields): string => {
  const accepted = fieldValue(fields, 'accept-encoding')
  const taken = (['br', 'gzip'] as const).filter((coding) => negotiateCoding(accepted, [coding]) === coding)
  return taken.length === 0 ? 'identity' : taken.join(', ')
}

/** Written for every request: by which name and scheme the site was asked. Both are part of the cache key. */
const addressed = (fields: Fields, route: Route, visitor: Pick<Visitor, 'host' | 'scheme'>): Fields => {
  const { host, forwarded } = askedAs(route, visitor)
  let result = withoutFields(fields, FORWARDED)
  result = withField(result, 'host', host)
  result = withField(result, 'x-forwarded-host', forwarded.host)
  result = withField(result, 'x-forwarded-proto', forwarded.scheme)
  const { key } = route.origin
  // Home brings it by itself, where this is an edge.
  return key === undefined || route.home !== undefined ? result : withField(result, ORIGIN_KEY_FIELD, key)
}

type Named = Pick<Visitor, 'host' | 'scheme'>

/** The Host an origin is asked with, and the host and scheme that it is told the visitor used. */
const askedAs = (
  { origin: { base, hostHeader, publicAddress } }: Route,
  visitor: Named,
): { host: string; forwarded: Named } => {
  if (hostHeader === 'visitor') return { host: visitor.host, forwarded: visitor }
  if (hostHeader === 'origin' || publicAddress === undefined) return { host: new URL(base).host, forwarded: visitor }
  const { host, protocol, hostname } = new URL(publicAddress)
  // Where visitors do come by that name, the scheme is theirs: the origin may want to send them on to the other.
  const byName = visitor.host.replace(/:\d+$/, '') === hostname
  return {
    host,
    forwarded: { host, scheme: byName ? visitor.scheme : protocol === 'https:' ? 'https' : 'http' },
  }
}

/** Fields in which a browser says from which page of the site a request comes; content systems refuse forms that come from another. */
const FROM_WHERE = new Set(['origin', 'referer'])

/** The same as if the visitor had come by the name that the origin is asked with. */
const asIfFromThere = (fields: Fields, route: Route, visitor: Named): Fields => {
  if (route.origin.hostHeader !== 'public' || route.origin.publicAddress === undefined) return fields
  const own = `${visitor.scheme}://${visitor.host}`
  const { host, forwarded } = askedAs(route, visitor)
  const there = `${forwarded.scheme}://${host}`
  return fields.map(([name, value]) =>
    FROM_WHERE.has(name) && (value === own || value.startsWith(`${own}/`))
      ? [name, there + value.slice(own.length)]
      : [name, value],
  )
}

/** We have agreed to the content already, and whoever waits for that has gone on (RFC 9110 §10.1.1). */
const SETTLED = new Set(['expect'])

/** Fields for a request that passes through: everything of the visitor's but what is for this connection only. */
export const passedRequestFields = (fields: Fields, route: Route, visitor: Visitor, instance: string): Fields => {
  const own = asIfFromThere(withoutFields(endToEndFields(fields), SETTLED), route, visitor)
  let passed = addressed(own, route, visitor)
  passed = withField(passed, 'via', viaOf(fields, instance))
  passed = [...withField(passed, 'cdn-loop', cdnLoop(instance, fields)), ...forHome(route)]
  passed = withField(passed, 'x-forwarded-for', visitor.address)
  // Addresses in the pages of a trial are read and written again, which needs them uncoded.
  return route.otherNames.length === 0 ? passed : withField(passed, 'accept-encoding', 'identity')
}

/** How a request is put to the origin when its answer will be kept. */
export interface StorableRequest {
  /** Without the visitor's address: whoever asks first must not be in a page for everybody. */
  readonly visitor: Pick<Visitor, 'host' | 'scheme'>
  readonly device: DeviceClass
  /** Whether JSON is wanted of an address that may also be a page. */
  readonly data: boolean
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
  { visitor, device, data, cookie, condition, disclosed }: StorableRequest,
  instance: string,
): Fields => {
  const names = disclosed.filter(mayDisclose)
  const endToEnd = endToEndFields(fields)
  // In the form in which copies are told apart by it, so that requests of one key are the same for the origin.
  const own = names.flatMap((name) => {
    const value = normalisedValue(endToEnd, name)
    return value === null ? [] : [[name, value] as const]
  })
  const common: [string, string][] = [
    ['accept', data ? DATA_ACCEPT : ACCEPT],
    ['user-agent', USER_AGENT[device]],
  ]
  return addressed(
    [
      ...common.filter(([name]) => !names.includes(name)),
      ...own,
      ...(cookie === undefined ? [] : [['cookie', cookie] as const]),
      ['accept-encoding', route.home === undefined ? 'identity' : codingsFromHome(fields)],
      // W3C Edge Architecture Specification 1.0 §3.1: the origin may send fragments instead of personal pages.
      ...(route.fragments ? [['surrogate-capability', 'zest="ESI/1.0"'] as const] : []),
      ...condition,
      ['via', `1.1 ${instance}`],
      ['cdn-loop', cdnLoop(instance)],
      ...forHome(route),
    ],
    route,
    visitor,
  )
}
