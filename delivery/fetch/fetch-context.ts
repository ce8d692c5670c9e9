import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import type { FilledBy } from '../../core/http/stored-response.ts'
import type { EpochMs } from '../../core/time.ts'
import type { PageLinks } from '../../core/watching/page-links.ts'
import type { Counters } from '../metrics/counters.ts'
import type { PathRule, Routes } from '../request/routes.ts'
import type { Audience, SiteRequest } from '../request/site-request.ts'
import type { ResponseStore } from '../store/response-store.ts'
import type { OriginClient } from './origin-client.ts'
import type { PageAnswer, TransformOutcome } from './page-transform.ts'
import type { InFlightRequests } from './request-collapsing.ts'
import type { VaryMemory } from './vary-memory.ts'

/** What fetching through the store needs from outside. */
export interface FetchIo {
  readonly now: () => EpochMs
  /** Monotonic, ms; for durations. */
  readonly elapsed: () => number
  readonly store: ResponseStore
  /** Copies for one visitor each; in memory only, since they are nobody else's business. */
  readonly ownCopies: ResponseStore
  readonly origin: OriginClient
  readonly inFlight: InFlightRequests
  readonly counters: Counters
  readonly varied: VaryMemory
  /** Which stored pages link to which. */
  readonly links: PageLinks
  /** The routes in force; replaced as a whole when a new setup arrives. */
  readonly routes: () => Routes
  /** Name of this process in Via. */
  readonly instance: string
  readonly rewriter: PageTransform
  /** Told of purges that are carried out here, for the edges. */
  readonly announce?: ((order: PurgeOrder) => void) | undefined
  /** Resolves when no other process of this machine uses what was purged before, and all they have answered until now is counted. */
  readonly confirmedEverywhere?: (() => Promise<void>) | undefined
  /** Tell the owner, in a sentence. */
  readonly say: (sentence: string) => void
  /** Take down a fault of ours that a request brought to light. @returns its number in the log, for whoever sent the request */
  readonly report: (error: unknown, about: Readonly<Record<string, unknown>>) => string
  /** The port visitors reach a scheme under; origins write it into absolute addresses. */
  readonly publicPort: (scheme: 'http' | 'https') => number
}

/** What is asked for, whoever asks: a visitor, or delivery itself to refresh a copy. */
export interface FetchContext<Io extends FetchIo = FetchIo> extends SiteRequest {
  readonly io: Io
  /** How this address is stored and reused, for the audience of this request. */
  readonly rule: PathRule
  readonly audience: Audience
  /** Set when nobody waits for it, with the reason it is fetched: visitors' requests to the origin come first. */
  readonly background?: FilledBy
}

/**
 * What fetching needs of whoever transforms pages. It owns this port; transform/ fills it, and main.ts puts the two together, so that fetching knows
 * nothing of workers, pictures or remedies.
 */
export interface PageTransform {
  /** Whether an answer is a page that the route's remedies rewrite. */
  takes(context: Pick<FetchContext, 'route' | 'method'>, answer: PageAnswer): boolean
  /** Rewrite a page; one that lately failed is left alone for a while. Never rejects. */
  rewrite(context: FetchContext, answer: PageAnswer, bytes: Buffer): Promise<TransformOutcome>
  /** JSON without its white space. */
  minifyJson(text: string): Promise<string>
  /** Content of a site may have changed: what was learned of its files is learned again. */
  forget(siteId: string): void
}

/** The store that copies for this audience are kept in: the one place that decides it. */
export const storeOf = ({ io, audience }: Pick<FetchContext, 'io' | 'audience'>): ResponseStore =>
  audience.kind === 'one' ? io.ownCopies : io.store
