import type { RequestRecord } from '../contracts/measuring.ts'

/** What requests of one kind weigh together. */
export interface Weight {
  readonly name: string
  readonly requests: number
  readonly sentBytes: number
  readonly decodedBytes: number
}

/** Weight by whatever names a request, heaviest first. */
export const weightBy = (requests: readonly RequestRecord[], nameOf: (record: RequestRecord) => string): Weight[] => {
  const sums = new Map<string, Weight>()
  for (const record of requests) {
    const name = nameOf(record)
    const sum = sums.get(name) ?? { name, requests: 0, sentBytes: 0, decodedBytes: 0 }
    sums.set(name, {
      name,
      requests: sum.requests + 1,
      sentBytes: sum.sentBytes + record.sentBytes,
      decodedBytes: sum.decodedBytes + record.decodedBytes,
    })
  }
  return [...sums.values()].sort((a, b) => b.sentBytes - a.sentBytes || b.requests - a.requests)
}

export const hostOf = ({ url }: RequestRecord): string => new URL(url).host

/** Where answers came from, as far as can be told from outside. */
export const sourceOf = ({ fromCache, responseFields, status }: RequestRecord): string => {
  if (fromCache) return 'browser cache'
  if (status === 304) return 'browser cache, checked'
  const cacheStatus = responseFields.find(([name]) => name === 'cache-status')?.[1] ?? ''
  return /zest-lamp;\s*hit/.test(cacheStatus) ? 'store' : 'server'
}
