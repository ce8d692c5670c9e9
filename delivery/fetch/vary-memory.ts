import { LRUCache } from 'lru-cache'
import { keptApartBy, varyNames } from '../../core/http/vary.ts'
import { addressPattern } from '../../core/sampling/page-kinds.ts'
import type { SiteRequest } from '../request/site-request.ts'
import type { OriginAnswer } from './origin-client.ts'

/** Kinds of addresses whose Vary is remembered. */
const MOST_KINDS = 5000
const MOST_BYTES = 2 * 1024 * 1024
/** An origin that names more fields than this keeps hardly two requests together; its addresses are not asked with them from the start. */
const MOST_NAMES = 8

type Asked = Pick<SiteRequest, 'route' | 'path'>

/** Names in the Vary of an answer by which copies are kept apart. */
export const apartBy = ({ route }: Pick<SiteRequest, 'route'>, answer: Pick<OriginAnswer, 'fields'>): string[] => {
  const varied = varyNames(answer.fields)
  return varied === '*' ? [] : keptApartBy(varied, route.byDevice)
}

/** Which request fields the answers of a kind of address depend on, as the origin said in Vary: so that a new address of the kind is asked once, not twice. */
export class VaryMemory {
  readonly #names = new LRUCache<string, readonly string[]>({
    max: MOST_KINDS,
    maxSize: MOST_BYTES,
    sizeCalculation: (_names, kind) => kind.length + 200,
  })

  learn(asked: Asked, { fields, status }: Pick<OriginAnswer, 'fields' | 'status'>): void {
    const varied = varyNames(fields)
    if (status !== 200 || varied === '*') return
    const names = keptApartBy(varied, asked.route.byDevice)
    if (names.length > 0 && names.length <= MOST_NAMES) this.#names.set(kindOf(asked), names)
    else if (names.length === 0) this.#names.delete(kindOf(asked))
  }

  names(asked: Asked): readonly string[] {
    return this.#names.get(kindOf(asked)) ?? []
  }
}

const kindOf = ({ route, path }: Asked): string => `${route.partition} ${addressPattern(path)}`
