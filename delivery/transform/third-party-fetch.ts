import type { LookupFunction } from 'node:net'
import { LRUCache } from 'lru-cache'
import { fieldValue } from '../../core/http/fields.ts'
import { readBody } from '../fetch/read-body.ts'
import { decode } from '../fetch/content-coding.ts'
import type { FetchIo } from '../fetch/fetch-context.ts'
import type { Rewriting } from '../request/routes.ts'

interface Copy {
  readonly bytes: Buffer
  readonly type: string
  /** Epoch ms. */
  readonly fetchedAt: number
}

const copies = new LRUCache<string, Copy>({
  maxSize: 64 * 1024 * 1024,
  sizeCalculation: ({ bytes }) => bytes.length + 1,
})
const TIMEOUT_MS = 10_000

/**
 * A script of another host, if the owner named that host; no other host is ever asked. Nothing of a visitor goes along. An old copy stands in for a
 * host that fails.
 */
export const fetchThirdParty = async (
  address: string,
  largest: number,
  { remedies: { localCopies } }: Pick<Rewriting, 'remedies'>,
  io: Pick<FetchIo, 'origin' | 'now'>,
  lookup: LookupFunction | undefined,
): Promise<{ bytes: Buffer; type: string } | undefined> => {
  const url = new URL(address)
  if (!localCopies.enabled || !localCopies.hosts.includes(url.host)) return undefined
  const known = copies.get(address)
  if (known !== undefined && io.now() - known.fetchedAt < localCopies.refreshS * 1000) return known
  try {
    const answer = await io.origin.fetch({
      site: url.host,
      base: url.origin,
      method: 'GET',
      target: url.pathname + url.search,
      fields: [
        ['host', url.host],
        ['accept', '*/*'],
        ['accept-encoding', 'identity'],
      ],
      body: undefined,
      timeoutMs: TIMEOUT_MS,
      signal: undefined,
      lookup,
    })
    const collected = await readBody(answer.body, largest)
    if (collected.kind !== 'complete') answer.body.destroy()
    const coding = fieldValue(answer.fields, 'content-encoding')
    if (answer.status !== 200 || collected.kind !== 'complete') return known
    const bytes = coding === undefined ? collected.bytes : await decode(collected.bytes, coding)
    if (bytes === undefined) return known
    const copy = { bytes, type: fieldValue(answer.fields, 'content-type') ?? '', fetchedAt: io.now() }
    copies.set(address, copy)
    return copy
  } catch {
    return known
  }
}
