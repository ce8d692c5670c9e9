import { decideCacheBypass } from '../../core/cache/cache-bypass.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { WarmPath, type WarmOrder, type WarmOutcome, type WarmResult } from '../../core/contracts/warm-up.ts'
import { PAGE_ACCEPT } from '../../core/http/device.ts'
import { fieldValue, type Fields } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { NOT_STORED, PASSED } from '../../core/http/reasons.ts'
import { decideReuse } from '../../core/http/reuse.ts'
import { madeDigest } from '../../core/page/context/file-facts.ts'
import { keyOf } from '../cache-keys/partitions.ts'
import { storeOf, type FetchContext } from '../fetch/fetch-context.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import { fetchCopy, type FetchedCopy } from '../fetch/revalidate.ts'
import { within } from '../fetch/store-response.ts'
import { publicHost } from '../request/parse-request.ts'
import { addCodings } from '../respond/add-codings.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import type { StoredEntry } from '../store/response-store.ts'

/** What browsers say they accept for a picture, as far as it counts here. */
const IMAGE_ACCEPT = 'image/avif,image/webp,image/*,*/*;q=0.8'
/** Longest wait for a page to be rewritten, or for a visitor's answer: nobody waits for it, but the round goes on. */
const PATIENCE_MS = 20_000
/** Files that are named further down a page are left to its first visitor, bytes. */
const NAMED_WITHIN = 1024 * 1024
/** More files of one page are left to its first visitor. */
const MOST_FILES = 300

type NamedFile = WarmResult['missing'][number]

/** The fields of the browsers whose copies are kept apart: phones with and without AVIF in pages, and all others. */
const BROWSERS: readonly Fields[] = [
  [
    ['sec-ch-ua-mobile', '?0'],
    ['accept', PAGE_ACCEPT],
  ],
  [
    ['sec-ch-ua-mobile', '?1'],
    ['accept', PAGE_ACCEPT],
  ],
  [
    ['sec-ch-ua-mobile', '?1'],
    ['accept', 'text/html,*/*;q=0.8'],
  ],
]

const fieldsFor = (as: WarmOrder['as']): readonly Fields[] =>
  as === 'page' ? BROWSERS : [[['accept', as === 'image' ? IMAGE_ACCEPT : '*/*']]]

/** Requests that visitors' browsers would make for an address, one for each copy that is kept apart. */
const contextsFor = (io: DeliveryIo, { target, as, host, scheme }: WarmOrder): FetchContext[] => {
  const route = io.routes().get(host)
  if (route === undefined) return []
  const path = target.split('?', 1)[0] ?? target
  const contexts = fieldsFor(as).map((fields): FetchContext => ({
    io,
    route,
    visitor: { address: '127.0.0.1', hostName: host, host: publicHost(host, scheme, io), scheme },
    method: 'GET',
    target,
    path,
    fields,
    rule: route.ruleFor(path),
    audience: { kind: 'everyone' },
    background: 'warm-up',
  }))
  return [...new Map(contexts.map((context) => [keyOf(context), context])).values()]
}

const outcomeOf = (copy: FetchedCopy): WarmOutcome => {
  switch (copy.kind) {
    case 'stored':
    case 'unchanged':
      return { kind: copy.kind }
    case 'not-stored':
      return { kind: 'not-stored', reason: copy.reason, sentence: NOT_STORED[copy.reason] }
    case 'server-failure':
      return { kind: 'failed', sentence: `Your server (origin) answered with status ${copy.status}.` }
  }
}

interface Warmed {
  readonly outcome: WarmOutcome
  readonly entry?: StoredEntry
}

/** What a copy must be like to need no request. */
type Demand = Pick<WarmOrder, 'refreshBelowS' | 'fetchedAfter'>
const ANY: Demand = { refreshBelowS: 0, fetchedAfter: 0 }

/** A copy that is still fresh for long enough, or the one to be checked. */
const presentCopy = (
  context: FetchContext,
  key: CacheKey,
  { refreshBelowS, fetchedAfter }: Demand,
): { fresh: StoredEntry } | { stale: StoredEntry | undefined } => {
  const { fields, rule, io } = context
  const decision = decideReuse(fields, storeOf(context).candidates(key), rule.reuse, io.now())
  if (decision.kind === 'fetch') return { stale: decision.stale }
  const isNew = decision.stored.responseTime >= fetchedAfter
  if (decision.kind === 'reuse' && isNew && decision.ttl >= refreshBelowS) return { fresh: decision.stored }
  return { stale: decision.stored }
}

/** The copy that a visitor would get now. */
const newestOf = (context: FetchContext, key: CacheKey): StoredEntry | undefined => {
  const present = presentCopy(context, key, ANY)
  return 'fresh' in present ? present.fresh : present.stale
}

/** Have one form of an address ready: fetched where it has to be, rewritten, in all codings. */
const warmForm = async (context: FetchContext, demand: Demand, onWait: (ms: number) => void): Promise<Warmed> => {
  const { io } = context
  const key = keyOf(context)
  // A visitor is ahead, who has the origin asked anyway.
  const ahead = io.inFlight.ahead(key)
  if (ahead !== undefined) await within(ahead.ended, PATIENCE_MS)
  const present = presentCopy(context, key, demand)
  if ('fresh' in present) return { outcome: { kind: 'fresh' }, entry: present.fresh }
  // No visitor is made to wait for it: who comes meanwhile asks for themselves.
  const inFlightRequest = io.inFlight.begin(key, false)
  try {
    const copy = await fetchCopy(context, key, { stale: present.stale, inFlightRequest, onWait })
    if (copy.kind === 'stored' && copy.rewritten !== undefined) await within(copy.rewritten, PATIENCE_MS)
    const kept = copy.kind === 'stored' || copy.kind === 'unchanged' ? newestOf(context, key) : undefined
    return { outcome: outcomeOf(copy), ...(kept === undefined ? {} : { entry: kept }) }
  } catch (error) {
    if (!(error instanceof OriginFailure)) throw error
    return { outcome: { kind: 'failed', sentence: error.message } }
  } finally {
    io.inFlight.end(inFlightRequest)
  }
}

/** Codings are made now, so that no visitor waits for them either; the smallest ones follow. */
const complete = async (context: FetchContext<DeliveryIo>, entry: StoredEntry): Promise<NamedFile[]> => {
  const store = storeOf(context)
  const coded = await addCodings(store, context.route, entry)
  context.io.recompression.add(coded)
  const isSheet = /^text\/css\b/i.test(fieldValue(entry.fields, 'content-type') ?? '')
  if (entry.status !== 200 || (!isSheet && !isHtml(entry.fields))) return []
  const body = await store.body(coded, 'identity')
  if (body === undefined) return []
  const text = body.toString('utf8', 0, NAMED_WITHIN)
  const { scheme, host } = context.visitor
  const address = `${scheme}://${host}${context.target}`
  const { pool } = context.io.rewriter
  const { files } = await (isSheet ? pool.readSheet({ text, address }) : pool.readPage({ html: text, address }))
  return files.slice(0, MOST_FILES).flatMap(({ address: named, kind }): NamedFile[] => {
    const url = new URL(named)
    const target = WarmPath.safeParse(url.pathname + url.search)
    return url.host === host && target.success ? [{ target: target.data, as: kind === 'image' ? 'image' : 'file' }] : []
  })
}

/** What is made here has been made with the page that names it. */
const isMissing = (context: FetchContext, { target, as }: NamedFile): boolean => {
  const path = target.split('?', 1)[0] ?? target
  if (madeDigest(path) !== undefined) return false
  const [fields = []] = fieldsFor(as)
  const asked = { ...context, target, path, fields, rule: context.route.ruleFor(path) }
  if (decideCacheBypass(asked, context.route.bypassRules).kind !== 'shared') return false
  return !('fresh' in presentCopy(asked, keyOf(asked), ANY))
}

/** The one that says most about why a visitor would have to wait. */
const WORST = ['failed', 'not-stored', 'stored', 'unchanged', 'fresh'] as const
const worst = (outcomes: readonly WarmOutcome[]): WarmOutcome | undefined =>
  WORST.flatMap((kind) => outcomes.filter((one) => one.kind === kind))[0]

/**
 * Have an address ready in every form that visitors get. Visitors' requests to the origin go first; one that cannot be stored for everyone is not
 * asked for.
 */
export const warmAddress = async (order: WarmOrder, io: DeliveryIo): Promise<WarmResult> => {
  const waitsMs: number[] = []
  const refuse = (reason: string, sentence: string): WarmResult => ({
    outcome: { kind: 'not-stored', reason, sentence },
    waitsMs,
    missing: [],
  })
  const contexts = contextsFor(io, order)
  const [first] = contexts
  if (first === undefined) return refuse('not-delivered', 'The site is not delivered at present.')
  const bypass = decideCacheBypass(first, first.route.bypassRules, first.rule.ignoredCookie)
  if (bypass.kind === 'pass') return refuse(bypass.reason, PASSED[bypass.reason])
  const outcomes: WarmOutcome[] = []
  const missing = new Map<string, NamedFile>()
  for (const context of contexts) {
    const { outcome, entry } = await warmForm(context, order, (ms) => waitsMs.push(ms))
    outcomes.push(outcome)
    if (entry !== undefined)
      for (const file of await complete(context as FetchContext<DeliveryIo>, entry))
        if (isMissing(context, file)) missing.set(file.target, file)
    // Its other forms would fail as well.
    if (outcome.kind === 'failed' || outcome.kind === 'not-stored') break
  }
  return { outcome: worst(outcomes) ?? { kind: 'fresh' }, waitsMs, missing: [...missing.values()] }
}
