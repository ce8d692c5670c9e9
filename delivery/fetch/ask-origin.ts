import type { CacheKey } from '../../core/cache/cache-key.ts'
import { deviceClass } from '../../core/http/device.ts'
import { type Fields } from '../../core/http/fields.ts'
import { wantedForm } from '../../core/http/request-fields.ts'
import { normalisedValue } from '../../core/http/vary.ts'
import { sharedTargetOf } from '../cache-keys/partitions.ts'
import { type FetchContext, storeOf } from './fetch-context.ts'
import type { OriginAnswer } from './origin-client.ts'
import { mayDisclose, storableRequestFields } from './origin-request-fields.ts'
import { apartBy } from './vary-memory.ts'
import { translateHosts } from './host-rewrite.ts'

/** What the origin is told: nothing but what is in the key, so that every request of one key looks the same to it. */
const fieldsForOrigin = (context: FetchContext, condition: Fields, disclosed: readonly string[]): Fields => {
  const { io, route, visitor, fields, audience } = context
  const cookie = audience.kind === 'one' ? audience.identity : undefined
  const device = route.byDevice ? deviceClass(fields) : 'other'
  return storableRequestFields(
    fields,
    route,
    { visitor, device, data: wantedForm(fields, context.path) === 'data', cookie, condition, disclosed },
    io.instance,
  )
}

/** An answer that may be kept. */
export interface StorableAnswer extends OriginAnswer {
  /** Request fields of the visitor that the origin was told: whatever it made of them, copies are kept apart by them. */
  readonly disclosed: readonly string[]
}

const put = async (context: FetchContext, fields: Fields): Promise<OriginAnswer> => {
  const { io, route, method } = context
  const answer = await io.origin.fetch({
    site: route.siteId,
    base: route.origin.base,
    method,
    target: sharedTargetOf(context),
    fields,
    body: undefined,
    timeoutMs: route.origin.timeoutMs,
    lookup: route.origin.lookup,
    // Not tied to the visitor: the copy is for the next ones too.
    signal: undefined,
    visitor: context.visitor.address,
    background: context.background !== undefined,
  })
  return translateHosts(context, answer)
}

/**
 * Ask the origin for an answer that may be kept. Fields of the visitor that copies of this kind of address are known to be kept apart by go along;
 * when the answer names others that the visitor sent, it is asked for once more with those, and from then on they are known.
 */
export const askOrigin = async (context: FetchContext, key: CacheKey, condition: Fields): Promise<StorableAnswer> => {
  const { varied } = context.io
  const stored = storeOf(context)
    .candidates(key)
    .flatMap(({ nominated }) => nominated.map(([name]) => name))
  const known = [...new Set([...stored, ...varied.names(context)])].filter(mayDisclose)
  const told = fieldsForOrigin(context, condition, known)
  const answer = await put(context, told)
  // Compared as copies are told apart: also where the visitor sent none and the origin was told our own.
  const withheld = apartBy(context, answer).filter(
    (name) =>
      mayDisclose(name) &&
      !known.includes(name) &&
      normalisedValue(context.fields, name) !== normalisedValue(told, name),
  )
  varied.learn(context, answer)
  if (withheld.length === 0) return { ...answer, disclosed: known }
  answer.body.destroy()
  const disclosed = [...known, ...withheld]
  return { ...(await put(context, fieldsForOrigin(context, condition, disclosed))), disclosed }
}
