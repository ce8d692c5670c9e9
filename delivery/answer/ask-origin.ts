import type { CacheKey } from '../../core/http/cache-key.ts'
import { deviceClass } from '../../core/http/device.ts'
import { fieldValue, hasField, type Fields } from '../../core/http/fields.ts'
import { storeOf, type Inquiry } from '../exchange.ts'
import type { OriginAnswer } from '../origin/origin-client.ts'
import { storableRequestFields } from '../origin/request-fields.ts'
import { apartBy } from './keeping.ts'
import { keptWithin } from './own-addresses.ts'

const put = async (
  exchange: Inquiry,
  condition: Fields,
  disclosed: readonly string[],
): Promise<OriginAnswer> => {
  const { io, route, visitor, method, target, fields, audience } = exchange
  const cookie = audience.kind === 'one' ? fieldValue(fields, 'cookie') : undefined
  const device = route.byDevice ? deviceClass(fields) : 'other'
  const answer = await io.origin.fetch({
    base: route.origin.base,
    method,
    target,
    fields: storableRequestFields(
      fields,
      route,
      { visitor, device, cookie, condition, disclosed },
      io.instance,
    ),
    body: undefined,
    timeoutMs: route.origin.timeoutMs,
    // Not tied to the visitor: the copy is for the next ones too.
    signal: undefined,
  })
  return keptWithin(exchange, answer)
}

/**
 * Ask the origin for an answer that may be kept. Fields of the visitor that copies of this address are known to be kept apart by go along; when the
 * answer names others that the visitor sent, it is asked for once more with those, and from then on they are known.
 */
export const askOrigin = async (
  exchange: Inquiry,
  key: CacheKey,
  condition: Fields,
): Promise<OriginAnswer> => {
  const known = storeOf(exchange)
    .candidates(key)
    .flatMap(({ nominated }) => nominated.map(([name]) => name))
  const answer = await put(exchange, condition, known)
  const withheld = apartBy(exchange, answer).filter(
    (name) => !known.includes(name) && hasField(exchange.fields, name),
  )
  if (withheld.length === 0) return answer
  answer.body.destroy()
  return put(exchange, condition, [...known, ...withheld])
}
