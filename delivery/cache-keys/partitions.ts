import { createHash } from 'node:crypto'
import { cacheKey, keyAddress, keyPartition, sharedTarget, type CacheKey } from '../../core/cache/cache-key.ts'
import { deviceClass } from '../../core/http/device.ts'
import { fieldValue } from '../../core/http/fields.ts'
import { wantedForm } from '../../core/http/request-fields.ts'
import { acceptedForms } from '../../core/page/pictures/widths.ts'
import type { Audience, SiteRequest } from '../request/site-request.ts'
import { upTo } from '../../core/http/up-to.ts'

/** A request whose copies are kept for everyone or for one visitor. */
type KeyedRequest = SiteRequest & { readonly audience: Audience }

const OWN = ':own-'
const PHONE = ':phone'
const PHONE_AVIF = `${PHONE}-avif`
const DATA = ':data'

/** The partitions of a channel whose copies everyone shares: for phones, for those that take AVIF, for who wants JSON of an address that may also be a page, and for all the rest. */
export const sharedPartitions = (partition: string): string[] => [
  partition,
  `${partition}${PHONE}`,
  `${partition}${PHONE_AVIF}`,
  `${partition}${DATA}`,
  `${partition}${DATA}${PHONE}`,
]

/** Whether a key is of a copy that is kept for phones. */
export const isForPhones = (key: CacheKey): boolean => keyPartition(key).includes(PHONE)

/** Whether a key is of a copy for who wants JSON. */
export const isForData = (key: CacheKey): boolean => keyPartition(key).includes(DATA)

/** Whether a key is of a copy that holds a picture as AVIF. */
export const isWithPicture = (key: CacheKey): boolean => keyPartition(key).includes(PHONE_AVIF)

/**
 * Whether who asks for a page may get a copy that holds its main picture as AVIF: a phone whose browser says with its wish for a page that it takes
 * AVIF. Some say so only when they ask for pictures, and get copies without.
 */
export const takesInlineLcpImage = ({ route, fields }: Pick<KeyedRequest, 'route' | 'fields'>): boolean => {
  if (route.inlineLcpImageBytes === 0 || deviceClass(fields) !== 'phone') return false
  const accept = fieldValue(fields, 'accept') ?? ''
  return /\btext\/html\b/i.test(accept) && acceptedForms(accept, ['avif', 'jpeg']).includes('avif')
}

/** Whether a key is of a copy for one visitor. */
export const isOwnCopy = (key: CacheKey): boolean => keyPartition(key).includes(OWN)

/** Path and query of the address that a key was made for. */
export const targetOfKey = (key: CacheKey): string => {
  const address = keyAddress(key)
  return address.slice(address.indexOf('/', address.indexOf('//') + 2))
}

export const pathOfKey = (key: CacheKey): string => upTo(targetOfKey(key), '?')

/** What stands behind the partition's name in keys of private copies: a digest, since the identity is a secret of the visitor. */
const ownPart = (identity: string): string =>
  `${OWN}${createHash('sha256').update(identity).digest('base64url').slice(0, 22)}`

/** The partition that copies for this audience and device are kept in. */
export const partitionFor = ({
  route,
  audience,
  fields,
  path,
}: Pick<KeyedRequest, 'route' | 'audience' | 'fields' | 'path'>): string => {
  const own = audience.kind === 'one' ? ownPart(audience.identity) : ''
  const phone = route.byDevice && deviceClass(fields) === 'phone' ? PHONE : ''
  if (wantedForm(fields, path) === 'data') return `${route.partition}${DATA}${phone}${own}`
  const device = takesInlineLcpImage({ route, fields }) ? PHONE_AVIF : phone
  return `${route.partition}${device}${own}`
}

/** What the origin is asked for when the answer may be shared: exactly what is in the key. */
export const sharedTargetOf = ({ route, target }: Pick<KeyedRequest, 'route' | 'target'>): string =>
  sharedTarget(target, route.ignoredParameter, route.sortParameters)

export const keyOf = (request: KeyedRequest): CacheKey =>
  cacheKey(partitionFor(request), request.visitor.scheme, request.visitor.hostName, sharedTargetOf(request))
