import type { RequestRecord } from '../contracts/measuring.ts'
import { endOf } from './lcp-phases.ts'

/** Times nearer than this, in ms or as a share, are the same. */
const SAME_MS = 10
const SAME_SHARE = 0.1

export type RequestChange = 'added' | 'gone' | 'sooner' | 'later' | 'same'

/** One address in two loads. */
export interface AlignedRequest {
  readonly key: string
  readonly before: RequestRecord | undefined
  readonly after: RequestRecord | undefined
  readonly change: RequestChange
}

/** Hosts differ between sides of one site; what stays is the path. Versions in the query do not make another file. */
const keyOf = ({ url }: RequestRecord, ownHosts: ReadonlySet<string>): string => {
  const { host, pathname } = new URL(url)
  return ownHosts.has(host) ? pathname : host + pathname
}

const changeOf = (before: RequestRecord, after: RequestRecord): RequestChange => {
  const [b, a] = [endOf(before), endOf(after)]
  const margin = Math.max(SAME_MS, SAME_SHARE * b)
  if (a < b - margin) return 'sooner'
  return a > b + margin ? 'later' : 'same'
}

/**
 * Two loads of a page under each other, aligned by address: those of the later load in its order, and where they belong those that are
 * gone. An address that occurs several times is matched one by one.
 */
export const alignRequests = (before: readonly RequestRecord[], after: readonly RequestRecord[]): AlignedRequest[] => {
  const own = new Set([before[0], after[0]].filter((one) => one !== undefined).map(({ url }) => new URL(url).host))
  const left = new Map<string, RequestRecord[]>()
  for (const record of before) left.set(keyOf(record, own), [...(left.get(keyOf(record, own)) ?? []), record])
  const matched = after.map((record, index): AlignedRequest => {
    const key = keyOf(record, own)
    const match = left.get(key)?.shift()
    return {
      key: `${index} ${key}`,
      before: match,
      after: record,
      change: match === undefined ? 'added' : changeOf(match, record),
    }
  })
  const gone = [...left.values()].flat().map((record, index): AlignedRequest => ({
    key: `gone ${index} ${keyOf(record, own)}`,
    before: record,
    after: undefined,
    change: 'gone',
  }))
  const startOf = ({ before: b, after: a }: AlignedRequest): number => (a ?? b)?.startMs ?? 0
  return [...matched, ...gone].toSorted((a, b) => startOf(a) - startOf(b))
}
