import type { IncomingMessage, ServerResponse } from 'node:http'
import { cacheKey, type CacheKey } from '../core/http/cache-key.ts'
import { cacheStatus, type Outcome } from '../core/http/cache-status.ts'
import type { Fields } from '../core/http/fields.ts'
import type { EpochMs } from '../core/time.ts'
import type { Counters } from './counters.ts'
import type { Flights } from './flights.ts'
import type { OriginClient } from './origin/origin-client.ts'
import type { Visitor } from './origin/request-fields.ts'
import type { Route, Routes } from './routing.ts'
import type { ResponseStore } from './store/response-store.ts'

/** What answering needs from outside. */
export interface DeliveryIo {
  readonly now: () => EpochMs
  /** Monotonic, ms; for durations. */
  readonly elapsed: () => number
  readonly store: ResponseStore
  readonly origin: OriginClient
  readonly flights: Flights
  readonly counters: Counters
  /** The routes in force; replaced as a whole when a new setup arrives. */
  readonly routes: () => Routes
  /** Name of this process in Via. */
  readonly instance: string
}

/** One request of a visitor and the way to answer it. */
export interface Exchange {
  readonly req: IncomingMessage
  readonly res: ServerResponse
  readonly io: DeliveryIo
  readonly route: Route
  readonly visitor: Visitor
  readonly method: string
  /** Path and query. */
  readonly target: string
  readonly fields: Fields
  readonly startedAt: number
}

export const keyOf = (
  { route, visitor, target }: Pick<Exchange, 'route' | 'visitor' | 'target'>,
  hostWithoutPort: string,
): CacheKey => cacheKey(route.partition, visitor.scheme, hostWithoutPort, target, route.ignoredParameter)

/** Count and log an exchange once its response has ended, however it ended. */
export const countWhenDone = (
  exchange: Exchange,
  outcome: Outcome,
  bytes: () => number,
  page = false,
): void => {
  const { res, io, route, method, target, startedAt } = exchange
  res.once('close', () =>
    io.counters.count(
      route,
      outcome,
      bytes(),
      {
        at: io.now(),
        method,
        target,
        status: res.statusCode,
        cacheStatus: cacheStatus(outcome),
        tookMs: io.elapsed() - startedAt,
      },
      page,
    ),
  )
}
