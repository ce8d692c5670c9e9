import { decideCacheBypass } from '../../core/cache/cache-bypass.ts'
import { cacheKey, keyPartition, sharedTarget } from '../../core/cache/cache-key.ts'
import { DATA_ACCEPT } from '../../core/http/device.ts'
import type { Fields } from '../../core/http/fields.ts'
import { invalidatedGroups } from '../../core/http/groups.ts'
import { invalidatedAddresses, isSafeMethod } from '../../core/http/invalidation.ts'
import { partitionFor, sharedPartitions } from '../cache-keys/partitions.ts'
import type { FetchIo, FetchContext } from '../fetch/fetch-context.ts'
import type { OriginAnswer } from '../fetch/origin-client.ts'
import { purge } from './purge.ts'
import type { StoredEntry } from '../store/response-store.ts'

/**
 * Remove what is stored for an address on every host of a site: live and trial show the same origin, so a change
 * through one is a change for both.
 */
const removeAddress = (io: FetchIo, siteId: string, target: string): void => {
  for (const [host, route] of io.routes()) {
    if (route.siteId !== siteId) continue
    for (const partition of sharedPartitions(route.partition))
      for (const scheme of ['http', 'https']) {
        const shared = sharedTarget(target, route.ignoredParameter, route.sortParameters)
        const key = cacheKey(partition, scheme, host, shared)
        io.inFlight.markPurged((flying) => flying === key)
        io.store.purgeKey(key)
      }
  }
}

/** Location fields compared without port, as keys are. */
const withoutPort = (fields: OriginAnswer['fields'], { visitor }: FetchContext): OriginAnswer['fields'] =>
  fields.map(([name, value]) =>
    name === 'location' || name === 'content-location'
      ? [name, value.replace(`//${visitor.host}`, `//${visitor.hostName}`)]
      : [name, value],
  )

/** Whatever a visitor sends to the site may change what they see next: their private copies end. */
const removeOwnCopies = ({ io, route, fields, method, rule }: FetchContext): void => {
  if (isSafeMethod(method) || route.bypassRules.signedIn !== 'private') return
  const bypassRules = decideCacheBypass(
    { method: 'GET', path: '/', target: '/', fields: fields.filter(([name]) => name === 'cookie') },
    { ...route.bypassRules, passesPath: () => false },
    rule.ignoredCookie,
  )
  if (bypassRules.kind !== 'private') return
  const audience = { kind: 'one', identity: bypassRules.identity } as const
  const forms: Fields[] = [
    [],
    [['sec-ch-ua-mobile', '?1']],
    [['accept', DATA_ACCEPT]],
    [
      ['accept', DATA_ACCEPT],
      ['sec-ch-ua-mobile', '?1'],
    ],
  ]
  const own = new Set(forms.map((form) => partitionFor({ route, audience, fields: form, path: '/' })))
  io.inFlight.markPurged((key) => own.has(keyPartition(key)))
  const sweep = { matches: ({ key }: StoredEntry) => own.has(keyPartition(key)), change: () => undefined }
  // It counts at once; nobody has to wait until every copy has been looked at.
  io.ownCopies.sweep(sweep).catch((error: unknown) => io.report(error, { purging: 'own copies' }))
}

/**
 * Remove what an unsafe request has made old (RFC 9111 §4.4): its address, what its answer names, the groups its answer names (RFC 9875 §3), and the
 * visitor's own copies.
 */
export const invalidate = (context: FetchContext, answer: OriginAnswer): void => {
  const { io, route, visitor, method, target } = context
  removeOwnCopies(context)
  const address = `${visitor.scheme}://${visitor.hostName}${target}`
  const named = invalidatedAddresses(method, address, {
    ...answer,
    fields: withoutPort(answer.fields, context),
  })
  // As it was asked for too: a parser of addresses writes some of them in another way.
  const targets = named.map((one) => new URL(one)).map(({ pathname, search }) => pathname + search)
  const paths = named.length === 0 ? [] : [...new Set([target, ...targets])]
  for (const one of paths) removeAddress(io, route.siteId, one)
  if (paths.length > 0) io.announce?.({ siteId: route.siteId, what: { kind: 'paths', paths }, manner: 'hard' })
  const groups = named.length === 0 ? [] : invalidatedGroups(answer.fields)
  if (groups.length === 0) return
  const order = { siteId: route.siteId, what: { kind: 'groups', groups }, manner: 'hard' } as const
  purge(order, io).catch((error: unknown) => io.report(error, { purging: groups }))
}
