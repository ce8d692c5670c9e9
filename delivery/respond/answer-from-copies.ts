import { decideCacheBypass } from '../../core/cache/cache-bypass.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { requestPurpose } from '../../core/http/prefetch.ts'
import { seconds } from '../../core/time.ts'
import { keyOf } from '../cache-keys/partitions.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { lookUp } from './look-up.ts'
import { contentOf } from './pass-through.ts'
import type { RequestContext } from './request-context.ts'
import { generatedFile, generatedFileKey, mayBeMade, YEAR_S } from './send-generated-asset.ts'
import { isSentAsStored, sendStored } from './send-stored.ts'

/**
 * In a further process of a cluster: answer from a copy what everybody may share and is fresh, with the bytes as they are. Everything else is the first
 * process's to answer: whatever there is a choice to make about, whatever changes something, and whatever is one visitor's alone.
 */
export const answerFromCopies = (context: RequestContext): void | Promise<void> => {
  const { io, req, res } = context
  if (!mayHaveCopy(context)) return io.first?.pass(req, res)
  if (mayBeMade(context)) return sendGenerated(context)
  const key = keyOf(context)
  const decision = lookUp(context, key)
  if (decision.kind !== 'reuse' || !isSentAsStored(context, decision.stored)) return io.first?.pass(req, res, key)
  const sending = sendStored(context, decision.stored, { kind: 'hit', ttl: decision.ttl }, decision.age)
  return noteUse(context, key, sending)
}

/** An edge may have missed a purge, and only its first process knows. */
const mayHaveCopy = (context: RequestContext): boolean => {
  const { route, rule, req, method, fields, looped } = context
  if ((method !== 'GET' && method !== 'HEAD') || contentOf(req) !== undefined) return false
  if (looped === true || route.home !== undefined || requestPurpose(fields) !== 'visit') return false
  return mayBeMade(context) || decideCacheBypass(context, route.bypassRules, rule.ignoredCookie).kind === 'shared'
}

const sendGenerated = (context: RequestContext): void | Promise<void> => {
  const { io, req, res } = context
  const key = generatedFileKey(context)
  const entry: StoredEntry | undefined = generatedFile(context)
  if (key === undefined || entry === undefined || !isSentAsStored(context, entry)) return io.first?.pass(req, res, key)
  const sending = sendStored(context, entry, { kind: 'hit', ttl: seconds(YEAR_S) }, seconds(0))
  return noteUse(context, key, sending)
}

const noteUse = (context: RequestContext, key: CacheKey, sending: boolean | Promise<boolean>): void | Promise<void> => {
  const { io, req, res } = context
  if (sending === true) return io.first?.used(key)
  // The copy made room while it was being sent.
  return Promise.resolve(sending).then((sent) => (sent ? undefined : io.first?.pass(req, res, key)))
}
