import { createHash, timingSafeEqual } from 'node:crypto'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { fieldLines, fieldValue, listMembers, withoutFields, type Fields } from '../../core/http/fields.ts'

/** The field in which an edge shows home who it is. */
export const EDGE_FIELD = 'zest-edge'

/** Digests of the keys of edges, by their ids. */
export type EdgeKeys = ReadonlyMap<string, Buffer>

export const edgeKeysOf = ({ edges = [] }: DeliveryConfig): EdgeKeys =>
  new Map(edges.map(({ id, keyDigest }) => [id, Buffer.from(keyDigest, 'base64url')]))

/** What an edge says of the visitor it asks for. */
export interface EdgeAsks {
  readonly edge: string
  /** Empty where the request is for everybody. */
  readonly address: string
  readonly scheme: 'http' | 'https'
  /** What the visitor sent, without what the edge has added. */
  readonly fields: Fields
}

/** Added by edges; from a visitor none of it may count. */
const OF_EDGES = new Set([EDGE_FIELD, 'x-forwarded-for', 'x-forwarded-host', 'x-forwarded-proto', 'via', 'cdn-loop'])

/** Whether a request comes from one of our edges, and for whom; undefined for everything else, whatever it claims. */
export const edgeAsks = (fields: Fields, keys: EdgeKeys): EdgeAsks | undefined => {
  const [given, ...more] = fieldLines(fields, EDGE_FIELD)
  if (given === undefined || more.length > 0) return undefined
  const [edge = '', key = ''] = given.split(' ')
  const digest = keys.get(edge)
  const shown = createHash('sha256').update(key).digest()
  if (digest === undefined || digest.length !== shown.length || !timingSafeEqual(digest, shown)) return undefined
  return {
    edge,
    address: listMembers(fieldValue(fields, 'x-forwarded-for') ?? '').at(-1) ?? '',
    scheme: fieldValue(fields, 'x-forwarded-proto') === 'https' ? 'https' : 'http',
    fields: withoutFields(fields, OF_EDGES),
  }
}
