import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Socket } from 'node:net'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { cacheStatus, type Outcome } from '../../core/http/cache-status.ts'
import type { EpochMs } from '../../core/time.ts'
import type { EdgeKeys } from '../request/edge-access.ts'
import type { FetchIo, FetchContext } from '../fetch/fetch-context.ts'
import type { OriginAnswer } from '../fetch/origin-client.ts'
import { kindLabel } from '../metrics/counters.ts'
import type { BeforeOpening } from '../store/before-opening.ts'
import type { PageRewriter } from '../transform/page-rewriter.ts'
import type { PreparedPictures } from '../transform/prepared-pictures.ts'
import type { Recompression } from './recompression.ts'

/** What comes of a request that sends something; "fruitless": requests like it have changed nothing for a while. */
export type EditWatch = 'no-edit' | 'fruitless' | 'comparing' | 'compared-next'

/** What notices editors' saves in what visitors send. */
interface WatchesEdits {
  saw(context: RequestContext, answer: Pick<OriginAnswer, 'status' | 'fields'>): EditWatch
}

/** What knows which sessions hold nothing. */
interface KnowsSessions {
  areEmpty(request: Pick<RequestContext, 'route' | 'rule' | 'fields'>): boolean
  sends(context: RequestContext): void
  lost(request: Pick<RequestContext, 'route' | 'fields'>): void
  saw(context: RequestContext, answer: Pick<OriginAnswer, 'status' | 'fields'>): void
  compare(context: RequestContext): void
}

/** What knows which pages follow which, and what may be fetched ahead. */
interface KnowsNextPages {
  asked(visit: PageVisit): void
  sent(context: RequestContext): void
  asks(context: RequestContext): void
  isActing(request: Pick<RequestContext, 'route' | 'target'>): boolean
  isAsking(request: Pick<RequestContext, 'route' | 'target'>): boolean
  fetchedAhead(request: Pick<RequestContext, 'route' | 'target'>, bytes: number): void
  answer(context: RequestContext): Promise<void>
}

/** A page that somebody asked for. */
export interface PageVisit extends Pick<RequestContext, 'route' | 'target' | 'fields'> {
  readonly io: Pick<DeliveryIo, 'counters'>
  readonly visitor: Pick<RequestContext['visitor'], 'host'>
}

/** In a further process of a cluster: the first one, which answers what no copy here answers. */
interface KnowsFirst {
  /** @param key of the copy that could have answered */
  pass(req: IncomingMessage, res: ServerResponse, key?: CacheKey): Promise<void>
  upgrade(req: IncomingMessage, socket: Socket, head: Buffer): void
  used(key: CacheKey): void
}

/** What knows whether purges reach this edge. */
interface KnowsContact {
  doubtedSince(responseTime: EpochMs): EpochMs | undefined
}

/** What answering visitors needs from outside. */
export interface DeliveryIo extends FetchIo {
  /** Where stored answers are looked for while the store is still being opened, right after a start; undefined once it is open. */
  readonly beforeOpening: BeforeOpening | undefined
  readonly recompression: Recompression
  /** Edges that may ask here. */
  readonly edges?: (() => EdgeKeys) | undefined
  readonly rewriter: PageRewriter
  /** Lighter pictures that Upkeep has made; an edge has none of its own. */
  readonly prepared?: PreparedPictures | undefined
  /** Told what visitors have sent; undefined while the store is being opened. */
  readonly edits?: WatchesEdits | undefined
  /** Sessions that hold nothing; undefined while the store is being opened, when they pass. */
  readonly sessions?: KnowsSessions | undefined
  /** At an edge: whether it hears of purges. */
  readonly contact?: KnowsContact | undefined
  /** Set in a further process of a cluster. */
  readonly first?: KnowsFirst | undefined
  /** What is fetched ahead; undefined while the store is being opened. */
  readonly nextPages?: KnowsNextPages | undefined
}

/** One request of a visitor and the way to answer it. */
export interface RequestContext extends FetchContext<DeliveryIo> {
  readonly req: IncomingMessage
  readonly res: ServerResponse
  readonly startedAt: number
  /** Set when the page is only fetched in case its visitor will want it: it is counted apart. */
  readonly purpose?: 'prefetch'
  /** Set when what is sent only stands in for a file that is not made yet: nobody may keep it in its place. */
  readonly standsIn?: true
}

/** Count and log an exchange once its response has ended, however it ended. */
export const countWhenDone = (
  context: RequestContext,
  outcome: Outcome,
  bytes: () => number,
  {
    page = false,
    spared = false,
    savedMs = 0,
    kind,
  }: { readonly page?: boolean; readonly spared?: boolean; readonly savedMs?: number; readonly kind?: string } = {},
): void => {
  context.res.once('close', () => {
    if (context.purpose === 'prefetch') return countFetchedAhead(context, bytes())
    const { res, io, route, rule, method, target, startedAt, visitor } = context
    io.counters.count(
      route,
      outcome,
      {
        bytes: bytes(),
        page,
        spared,
        savedMs,
        kind: kind ?? kindLabel(rule.kind, page, target),
        scheme: visitor.scheme,
      },
      {
        at: io.now(),
        channel: route.channel,
        method,
        target,
        status: res.statusCode,
        cacheStatus: cacheStatus(outcome),
        tookMs: io.elapsed() - startedAt,
      },
    )
    if (page) io.nextPages?.asked(context)
  })
}

const countFetchedAhead = (context: RequestContext, bytes: number): void => {
  context.io.counters.countPrefetch(context.route, bytes)
  context.io.nextPages?.fetchedAhead(context, bytes)
}
