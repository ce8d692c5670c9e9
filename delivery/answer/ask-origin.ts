import type { CacheKey } from '../../core/http/cache-key.ts'
import { deviceClass } from '../../core/http/device.ts'
import { type Fields } from '../../core/http/fields.ts'
import { wantedForm } from '../../core/http/request-fields.ts'
import { normalisedValue } from '../../core/http/vary.ts'
import { sharedTargetOf, storeOf, type Inquiry } from '../exchange.ts'
import type { OriginAnswer } from '../origin/origin-client.ts'
import { mayDisclose, storableRequestFields } from '../origin/request-fields.ts'
import { apartBy } from './keeping.ts'
import { keptWithin } from './own-addresses.ts'

/** What the origin is told: nothing but what is in the key, so that every request of one key looks the same to it. */
const fieldsForOrigin = (exchange: Inquiry, condition: Fields, disclosed: readonly string[]): Fields => {
  const { io, route, visitor, fields, audience } = exchange
  const cookie = audience.kind === 'one' ? audience.identity : undefined
  const device = route.byDevice ? deviceClass(fields) : 'other'
  return storableRequestFields(
    fields,
    route,
    { visitor, device, data: wantedForm(fields, exchange.path) === 'data', cookie, condition, disclosed },
    io.instance,
  )
}

/** An answer that may be kept. */
export interface StorableAnswer extends OriginAnswer {
  /** Request fields of the visitor that the origin was told: whatever it made of them, copies are kept apart by them. */
  readonly disclosed: readonly string[]
}

const put = async (exchange: Inquiry, fields: Fields): Promise<OriginAnswer> => {
  const { io, route, method } = exchange
  const answer = await io.origin.fetch({
    site: route.siteId,
    base: route.origin.base,
    method,
    target: sharedTargetOf(exchange),
    fields,
    body: undefined,
    timeoutMs: route.origin.timeoutMs,
    lookup: route.origin.lookup,
    // Not tied to the visitor: the copy is for the next ones too.
    signal: undefined,
    visitor: exchange.visitor.address,
  })
  return keptWithin(exchange, answer)
}

/**
 * Ask the origin for an answer that may be kept. Fields of the visitor that copies of this kind of address are known to be kept apart by go along;
 * when the answer names others that the visitor sent, it is asked for once more with those, and from then on they are known.
 */
export const askOrigin = async (exchange: Inquiry, key: CacheKey, condition: Fields): Promise<StorableAnswer> => {
  const { varied } = exchange.io
  const stored = storeOf(exchange)
    .candidates(key)
    .flatMap(({ nominated }) => nominated.map(([name]) => name))
  const known = [...new Set([...stored, ...varied.names(exchange)])].filter(mayDisclose)
  const told = fieldsForOrigin(exchange, condition, known)
  const answer = await put(exchange, told)
  // Compared as copies are told apart: also where the visitor sent none and the origin was told our own.
  const withheld = apartBy(exchange, answer).filter(
    (name) =>
      mayDisclose(name) &&
      !known.includes(name) &&
      normalisedValue(exchange.fields, name) !== normalisedValue(told, name),
  )
  varied.learn(exchange, answer)
  if (withheld.length === 0) return { ...answer, disclosed: known }
  answer.body.destroy()
  const disclosed = [...known, ...withheld]
  return { ...(await put(exchange, fieldsForOrigin(exchange, condition, disclosed))), disclosed }
}
