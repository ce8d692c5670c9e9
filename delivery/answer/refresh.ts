import type { CacheKey } from '../../core/http/cache-key.ts'
import { conditionFor } from '../../core/http/reuse.ts'
import { updateBy304 } from '../../core/http/updating.ts'
import { storeOf, type Inquiry } from '../exchange.ts'
import type { Flight } from '../flights.ts'
import type { OriginAnswer } from '../origin/origin-client.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { askOrigin } from './ask-origin.ts'
import { collect, decideKeeping, fieldsAsRead, keep } from './keeping.ts'

/** RFC 5861 §4: the errors a stale response may stand in for. */
export const SERVER_FAILURES = new Set([500, 502, 503, 504])

/** Take in what a 304 says; a purge that came meanwhile stands. @returns the response as it is now */
export const freshen = (
  exchange: Inquiry,
  stale: StoredEntry,
  flight: Flight,
  answer: OriginAnswer,
): StoredEntry => {
  const updated = updateBy304(
    stale,
    fieldsAsRead(exchange, { ...answer, status: stale.status }),
    answer.requestTime,
    answer.responseTime,
  )
  if (!flight.purged) storeOf(exchange).update(updated)
  return updated
}

/** Fetch a new copy behind a visitor who has been given a stale one (RFC 5861 §3). Failures leave the old copy. */
const refresh = async (exchange: Inquiry, key: CacheKey, stale: StoredEntry): Promise<void> => {
  const { io } = exchange
  const asGet = { ...exchange, method: 'GET' }
  const flight = io.flights.begin(key, false)
  try {
    const answer = await askOrigin(asGet, key, conditionFor(stale))
    if (answer.status === 304) {
      answer.body.resume()
      freshen(exchange, stale, flight, answer)
      return
    }
    if (SERVER_FAILURES.has(answer.status)) return void answer.body.resume()
    if (decideKeeping(asGet, answer).kind !== 'store') {
      answer.body.resume()
      storeOf(exchange).purgeKey(key)
      return
    }
    const collected = await collect(answer.body)
    if (collected.kind === 'complete') await keep(exchange, key, flight, answer, collected.bytes)
    else answer.body.destroy()
  } catch {
    // The next visitor's request, or the end of the allowance, brings it up again.
  } finally {
    io.flights.end(flight)
  }
}

const refreshing = new Set<CacheKey>()

/** One refresh per address at a time, however many visitors are given the stale copy. */
export const refreshOnce = async (exchange: Inquiry, key: CacheKey, stale: StoredEntry): Promise<void> => {
  if (refreshing.has(key)) return
  refreshing.add(key)
  await refresh(exchange, key, stale).finally(() => refreshing.delete(key))
}
