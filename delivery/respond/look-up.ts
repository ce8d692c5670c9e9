import type { CacheKey } from '../../core/cache/cache-key.ts'
import { conditionFor, decideReuse, type ReuseDecision } from '../../core/http/reuse.ts'
import type { EpochMs } from '../../core/time.ts'
import { storeOf } from '../fetch/fetch-context.ts'
import type { ResponseStore, StoredEntry } from '../store/response-store.ts'
import type { RequestContext } from './request-context.ts'

/** A copy that may have been purged: stale from then on, so that nothing but the owner's stale allowance lets it be served. */
const doubted = (entry: StoredEntry, since: EpochMs): StoredEntry => ({
  ...entry,
  staleSince: entry.staleSince !== undefined && entry.staleSince < since ? entry.staleSince : since,
})

/** Nothing doubted is served before home has been asked. */
const askedFirst = (decision: ReuseDecision<StoredEntry>): ReuseDecision<StoredEntry> => {
  if (decision.kind !== 'reuse-stale' && decision.kind !== 'reuse') return decision
  const condition = conditionFor(decision.stored)
  return condition.length > 0
    ? { kind: 'validate', reason: 'stale', stored: decision.stored, condition }
    : { kind: 'fetch', reason: 'stale', stale: decision.stored }
}

/** What to do for a request, given what is stored; at an edge that may have missed a purge, home is asked before anything is served. */
export const lookUp = (
  context: RequestContext,
  key: CacheKey,
  store: Pick<ResponseStore, 'candidates'> = storeOf(context),
): ReuseDecision<StoredEntry> => {
  const { io, rule, fields, route } = context
  const candidates = store.candidates(key)
  const { contact } = io
  if (route.home === undefined || contact === undefined) return decideReuse(fields, candidates, rule.reuse, io.now())
  const asTrusted = candidates.map((entry) => {
    const since = contact.doubtedSince(entry.responseTime)
    return since === undefined ? entry : doubted(entry, since)
  })
  const decision = decideReuse(fields, asTrusted, rule.reuse, io.now())
  const stored = decision.kind === 'fetch' ? decision.stale : decision.stored
  return stored === undefined || candidates.includes(stored) ? decision : askedFirst(decision)
}
