import { LRUCache } from 'lru-cache'
import { NextPagesQuestion, type NextPagesAnswer, type PageSequences } from '../../core/contracts/next-pages.ts'
import { decideCacheBypass } from '../../core/cache/cache-bypass.ts'
import { sharedTarget } from '../../core/cache/cache-key.ts'
import { fieldValue, type Fields } from '../../core/http/fields.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import { decideReuse } from '../../core/http/reuse.ts'
import { chooseNext, type CopyState } from '../../core/prefetch/choose-next.ts'
import { PageSequenceCounts } from '../../core/prefetch/page-sequences.ts'
import { keyOf } from '../cache-keys/partitions.ts'
import { readBody } from '../fetch/read-body.ts'
import { partitionOf, type Route } from '../request/routes.ts'
import type { PageVisit, RequestContext } from '../respond/request-context.ts'
import type { KeptNextPages } from './next-pages-file.ts'

/** Sites whose sequences are held. */
const MOST_SITES = 200
/** Longer addresses are not remembered: visitors make them up as long as they like. */
const LONGEST_PAGE = 300
/** Letters of addresses that something was sent to, or whose scripts asked for something; they are kept on disk, too. */
const MOST_LETTERS = 1_000_000
/** Letters of pages of which it is remembered that they were fetched ahead, and not opened yet. */
const MOST_WAITING = 4_000_000
/** Pages of a site that are told of and that the next process begins with, the most visited ones. */
const MOST_TOLD = 500
/** What an entry takes besides its letters. */
const BESIDES = 50
const bounded = (maxSize: number) => ({ maxSize, sizeCalculation: (_: unknown, name: string) => name.length + BESIDES })
/** A question is two addresses and a word. */
const LONGEST_QUESTION = 4096
const EVERYONE = { kind: 'everyone' } as const

/**
 * Which page follows which, learnt from visits: from the Referer of those who ask for a page (RFC 9110 §10.1.3), and from the script of pages that were
 * there before they were asked for. Only addresses that are known as stored pages count, so that made-up ones take no room. Nothing is kept of who the
 * visitor was.
 */
export class NextPages {
  readonly #sites = new LRUCache<string, PageSequenceCounts>({ max: MOST_SITES })
  /** Sites and targets that something was sent to: asking for them may do something too. */
  readonly #acting = new LRUCache<string, true>(bounded(MOST_LETTERS))
  /** Sites and pages whose scripts asked for something before the page was shown. */
  readonly #asking = new LRUCache<string, true>(bounded(MOST_LETTERS))
  /** Bytes of pages that were fetched ahead, by channel and page, as long as nobody has opened them. */
  readonly #waiting = new LRUCache<string, { times: number; bytes: number }>(bounded(MOST_WAITING))

  /** A page of live was asked for by a visitor. Runs for every page. */
  asked({ io, route, target, fields, visitor }: PageVisit): void {
    if (route.partition !== partitionOf(route.siteId, 'live')) return
    this.#visited(io, route, pageOf(route, target), refererOf(fields, visitor.host))
  }

  #visited(io: PageVisit['io'], route: Route, page: string, from: string | undefined): void {
    if (!isKnown(io, route, page)) return
    const before = from === undefined ? undefined : pageOf(route, from)
    this.#of(route.siteId).visited(page, before !== undefined && isKnown(io, route, before) ? before : undefined)
  }

  #of(siteId: string): PageSequenceCounts {
    const known = this.#sites.get(siteId)
    if (known !== undefined) return known
    const counts = new PageSequenceCounts()
    this.#sites.set(siteId, counts)
    return counts
  }

  /** Something was sent to an address. One that is known as a page for everyone stays one: whoever sends it something must not switch off anything for others. */
  sent({ io, route, method, target }: RequestContext): void {
    if (isSafeMethod(method)) return
    const page = pageOf(route, target)
    if (!isKnown(io, route, page)) this.#acting.set(`${route.siteId} ${page}`, true)
  }

  /** A script asks for something while its page is rendered ahead. */
  asks({ io, route, fields, visitor }: RequestContext): void {
    const from = refererOf(fields, visitor.host)
    const page = from === undefined ? undefined : pageOf(route, from)
    if (page !== undefined && isKnown(io, route, page)) this.#asking.set(`${route.siteId} ${page}`, true)
  }

  /** Whether a page was seen to ask for something while it was rendered ahead. */
  isAsking({ route, target }: Pick<RequestContext, 'route' | 'target'>): boolean {
    return this.#asking.has(`${route.siteId} ${pageOf(route, target)}`)
  }

  /** Whether an address was seen to do something. */
  isActing({ route, target }: Pick<RequestContext, 'route' | 'target'>): boolean {
    return this.#acting.has(`${route.siteId} ${pageOf(route, target)}`)
  }

  /** A page was sent to somebody who may open it. */
  fetchedAhead({ route, target }: Pick<RequestContext, 'route' | 'target'>, bytes: number): void {
    const id = `${route.countedAs} ${pageOf(route, target)}`
    const { times } = this.#waiting.get(id) ?? { times: 0 }
    this.#waiting.set(id, { times: times + 1, bytes })
  }

  #opened(route: Route, page: string): number {
    const id = `${route.countedAs} ${page}`
    const waiting = this.#waiting.get(id)
    if (waiting === undefined) return 0
    if (waiting.times === 1) this.#waiting.delete(id)
    else waiting.times--
    return waiting.bytes
  }

  /** Answer the script of an open page: count how the page came, and say what may be fetched ahead from it. */
  async answer(context: RequestContext): Promise<void> {
    const { io, req, res, route } = context
    const read = await readBody(req, LONGEST_QUESTION)
    if (res.destroyed) return
    if (read.kind === 'larger') return refuseLonger(context)
    const question = read.kind === 'complete' ? NextPagesQuestion.safeParse(json(read.bytes)) : undefined
    if (question?.success !== true)
      return reply(res, 400, { title: 'A question of a page has a page, where it was opened from, and how it came.' })
    this.#learn(context, question.data)
    if (route.prefetch === undefined) return reply(res, 204)
    const page = pageOf(route, question.data.page)
    const counts = this.#of(route.siteId)
    const known = { page, visits: counts.visits(page), likely: counts.likely(page) }
    const answer = chooseNext(known, route.prefetch, io.counters.caution(route), (next) =>
      // Nobody learns here of a page that this page does not name.
      io.links.linksTo(route.siteId, page, next) ? copyOf(context, next) : 'none',
    )
    reply(res, 200, answer)
  }

  #learn({ io, route }: RequestContext, { page: opened, from, came }: NextPagesQuestion): void {
    const page = pageOf(route, opened)
    if (from !== null) {
      const bytes = came === 'server' ? 0 : this.#opened(route, page)
      io.counters.countNextPage(route, came === 'server' ? 'asked-for' : 'ready', bytes)
    }
    // One that had to be asked for has told of itself already.
    if (came === 'server' || route.partition !== partitionOf(route.siteId, 'live')) return
    io.counters.countOpened(route, page)
    this.#visited(io, route, page, from ?? undefined)
  }

  /** Which pages follow which on a site. */
  sequences(siteId: string): PageSequences {
    return { sequences: this.#sites.get(siteId)?.sequences().slice(0, MOST_TOLD) ?? [] }
  }

  kept(): KeptNextPages {
    return {
      sites: [...this.#sites.keys()].map((siteId) => ({ siteId, ...this.sequences(siteId) })),
      acting: [...this.#acting.keys()],
      asking: [...this.#asking.keys()],
    }
  }

  /** Go on from an earlier process. */
  goOn({ sites, acting, asking }: KeptNextPages): void {
    for (const { siteId, sequences } of sites.toReversed()) this.#of(siteId).goOn(sequences)
    for (const address of acting.toReversed()) this.#acting.set(address, true)
    for (const address of asking.toReversed()) this.#asking.set(address, true)
  }
}

/** A page under the name that all its addresses share. */
const pageOf = (route: Route, target: string): string =>
  sharedTarget(target, route.ignoredParameter, route.sortParameters)

/** Whether an address is a page that everyone may get from the store, and short enough to be remembered. */
const isKnown = (io: PageVisit['io'], route: Route, page: string): boolean =>
  page.length <= LONGEST_PAGE && io.counters.addressRecord(route, page)?.page === true

/** What has no end is not read to it. */
const refuseLonger = ({ req, res }: RequestContext): void => {
  res.once('finish', () => req.destroy())
  reply(res, 413, { title: `A question of a page is no longer than ${LONGEST_QUESTION} bytes.` })
}

const json = (bytes: Buffer): unknown => {
  try {
    return JSON.parse(bytes.toString('utf8'))
  } catch {
    return undefined
  }
}

/** Path and query of the page of the same host that led here. */
const refererOf = (fields: Fields, host: string): string | undefined => {
  const referer = fieldValue(fields, 'referer')
  if (referer === undefined) return undefined
  const slashes = referer.indexOf('//')
  const path = referer.indexOf('/', slashes + 2)
  if (slashes === -1 || path === -1 || referer.slice(slashes + 2, path) !== host) return undefined
  const hash = referer.indexOf('#', path)
  return hash === -1 ? referer.slice(path) : referer.slice(path, hash)
}

/** What browsers say with their wish for a page, as far as copies are kept apart by it: phones take a picture in the page or not. */
const WISHES = ['text/html,image/avif,*/*', 'text/html,*/*']
const OF_THE_BROWSER = new Set(['user-agent', 'sec-ch-ua-mobile', 'cookie'])

/** What there is of a page for everyone, this visitor included. */
const copyOf = (context: RequestContext, target: string): CopyState => {
  const { io, route, fields } = context
  const path = target.split('?', 1)[0] ?? target
  const rule = route.ruleFor(path)
  const own = fields.filter(([name]) => OF_THE_BROWSER.has(name))
  if (io.nextPages?.isActing({ route, target }) === true) return 'none'
  for (const accept of WISHES) {
    const wished: Fields = [...own, ['accept', accept]]
    const asked = { ...context, method: 'GET', target, path, fields: wished, rule, audience: EVERYONE }
    if (decideCacheBypass(asked, route.bypassRules, rule.ignoredCookie).kind !== 'shared') return 'none'
    const decision = decideReuse(wished, io.store.candidates(keyOf(asked)), rule.reuse, io.now())
    if (decision.kind !== 'reuse') continue
    const isQuiet = decision.stored.prerender === 'allowed' && io.nextPages?.isAsking({ route, target }) !== true
    return isQuiet ? 'renderable' : 'fetchable'
  }
  return 'none'
}

const reply = (
  res: RequestContext['res'],
  status: 200 | 204 | 400 | 413,
  body?: NextPagesAnswer | { readonly title: string },
): void => {
  const text = body === undefined ? '' : JSON.stringify(body)
  res.writeHead(status, {
    ...(status === 204 ? {} : { 'content-type': status >= 400 ? 'application/problem+json' : 'application/json' }),
    ...(status === 204 ? {} : { 'content-length': Buffer.byteLength(text) }),
    'cache-control': 'no-store',
    'x-robots-tag': 'noindex',
    'cache-status': 'zest-lamp; detail=next-pages',
  })
  res.end(text)
}
