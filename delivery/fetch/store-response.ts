import { PATIENCE_MS } from '../../core/contracts/delivery.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { ABOUT_BYTES } from '../../core/http/about-bytes.ts'
import { mayBeAtEdges } from '../../core/http/edge-cache-control.ts'
import { endToEndFields, fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { correctedInitialAge, isHtml } from '../../core/http/freshness.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import { holdsItsCookie, overrideCacheControl } from '../../core/cache/cache-control-override.ts'
import { privatelyRead } from '../../core/cache/private-copy.ts'
import type { NotStoredReason } from '../../core/http/reasons.ts'
import { requestWishes } from '../../core/http/request-directives.ts'
import { decideStoring, type StoringDecision } from '../../core/http/storing.ts'
import { nominatedFields } from '../../core/http/vary.ts'
import { type FetchContext, storeOf } from './fetch-context.ts'
import { targetOfKey } from '../cache-keys/partitions.ts'
import type { InFlightRequest } from './request-collapsing.ts'
import type { OriginAnswer } from './origin-client.ts'
import { apartBy } from './vary-memory.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { linkedPaths } from '../../core/watching/page-links.ts'
import type { EpochMs } from '../../core/time.ts'
import type { StorableAnswer } from './ask-origin.ts'
import { decode } from './content-coding.ts'

/** Larger responses go through without being stored. */
export const LARGEST_STORED = 32 * 1024 * 1024
/** What is said of the bytes as they came; they are stored without coding, and their length and digests are made here. */
const DESCRIBES_CODING = new Set(['content-encoding', ...ABOUT_BYTES])

/** Fields of an answer as the owner wants them read for this page and this audience. */
export const fieldsAsRead = (
  { rule, audience }: FetchContext,
  answer: Pick<OriginAnswer, 'status' | 'fields'>,
): Fields => (audience.kind === 'one' ? privatelyRead(answer.fields) : overrideCacheControl(answer, rule.overrule))

/** The address that was asked for, as visitors know it. */
export const addressOf = ({ visitor, target }: Pick<FetchContext, 'visitor' | 'target'>): string =>
  `${visitor.scheme}://${visitor.host}${target}`

/** Whether an answer may be kept for the audience of its request. */
export const decideStorage = (context: FetchContext, answer: OriginAnswer): StoringDecision => {
  const { method, fields, rule, route } = context
  if (route.home !== undefined && !mayBeAtEdges(answer.fields)) return { kind: 'not-stored', reason: 'not-at-edges' }
  if (rule.reuse.obeyRequest === true && requestWishes(fields).noStore)
    return { kind: 'not-stored', reason: 'request-no-store' }
  return decideStoring(
    { method, fields, url: addressOf(context) },
    { ...answer, fields: fieldsAsRead(context, answer) },
    rule.reuse.lifetimes,
  )
}

/** What of a rewriting matters to whoever keeps its result. */
type Made =
  | { readonly kind: 'rewritten'; readonly bytes: Buffer; readonly prerender?: 'allowed' | undefined }
  | { readonly kind: 'untouched' }
  | { readonly kind: 'failed'; readonly againAt: EpochMs }

const UNTOUCHED: Made = { kind: 'untouched' }

/** JSON keeps its address, so it is made lighter where it is. */
const rewriteData = (
  { io, route, method }: FetchContext,
  { status, fields }: OriginAnswer,
  bytes: Buffer,
): Promise<Made> | undefined => {
  const minify = route.rewriting?.remedies.minify
  const isJson = /^application\/(?:[\w.+-]+\+)?json\b/i.test(fieldValue(fields, 'content-type') ?? '')
  if (minify?.enabled !== true || !minify.json || !isJson || status !== 200 || method !== 'GET') return undefined
  const text = bytes.toString('utf8')
  return io.rewriter.minifyJson(text).then(
    (made): Made => (made === text ? UNTOUCHED : { kind: 'rewritten', bytes: Buffer.from(made) }),
    () => UNTOUCHED,
  )
}

/** @returns what the work gave, or that it takes longer; it goes on all the same */
export const within = async <T>(work: Promise<T>, ms: number): Promise<T | 'late'> => {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<'late'>((resolve) => (timer = setTimeout(resolve, ms, 'late')))
  return Promise.race([work, late]).finally(() => clearTimeout(timer))
}

/** How an answer is kept whose bytes are others than the origin's. */
const asRewritten = ({ prerender }: Made & { kind: 'rewritten' }): Pick<StoredEntry, 'rewritten' | 'prerender'> => ({
  rewritten: true,
  ...(prerender === undefined ? {} : { prerender }),
})

/** How a page whose rewriting failed is kept: as it came, until it is to be tried again. */
const untilTriedAgain = ({ againAt }: { againAt: EpochMs }): Pick<StoredEntry, 'asItCame' | 'staleSince'> => ({
  asItCame: true,
  staleSince: againAt,
})

/** A page that took longer to rewrite than a visitor waits takes the place of the plain one, unless something newer has come. */
const putWhenReady = async (context: FetchContext, entry: StoredEntry, rewriting: Promise<Made>): Promise<void> => {
  const made = await rewriting
  const store = storeOf(context)
  const now = store.candidates(entry.key).find((one) => one.responseTime === entry.responseTime)
  if (made.kind === 'untouched' || now === undefined || now.rewritten === true) return
  if (made.kind === 'failed') return store.update({ ...now, ...untilTriedAgain(made) })
  const { id: _id, bodies: _bodies, ...known } = now
  store.put({ ...known, ...asRewritten(made) }, new Map<Coding, Buffer>([['identity', made.bytes]]))
  // An edge may have got the plain one meanwhile.
  const { siteId, channel } = context.route
  const paths = [targetOfKey(entry.key)]
  context.io.announce?.({ siteId, channel, what: { kind: 'paths', paths }, manner: 'soft' })
}

/** Links further down a page are not looked for, bytes. */
export const LINKS_WITHIN = 512 * 1024

/** Take down which pages of the site a page links to, once its visitor has been answered. */
const noteLinks = (context: FetchContext, { status, fields, key }: StoredEntry, page: Buffer): void => {
  const { io, route } = context
  if (status !== 200 || !isHtml(fields)) return
  setImmediate(() => {
    try {
      io.links.note(
        route.siteId,
        targetOfKey(key),
        linkedPaths(page.toString('utf8', 0, LINKS_WITHIN), addressOf(context)),
      )
    } catch (error) {
      io.report(error, { reading: 'the links of a page' })
    }
  })
}

/**
 * What became of a complete answer.
 * @property rewritten resolves when a page that was kept as it came, because rewriting it took long, is kept rewritten
 */
export type Kept =
  | { readonly kind: 'kept'; readonly entry: StoredEntry; readonly rewritten?: Promise<void> }
  | { readonly kind: 'not-kept'; readonly reason: NotStoredReason }

/** Put a complete answer into the store. */
export const storeResponse = async (
  context: FetchContext,
  key: CacheKey,
  inFlightRequest: InFlightRequest,
  answer: StorableAnswer,
  bytes: Buffer,
): Promise<Kept> => {
  const contentEncoding = fieldValue(answer.fields, 'content-encoding')
  const identity = contentEncoding === undefined ? bytes : await decode(bytes, contentEncoding)
  if (identity === undefined) return { kind: 'not-kept', reason: 'encoded' }
  const read = fieldsAsRead(context, answer)
  if (holdsItsCookie(answer.fields, read, identity)) return { kind: 'not-kept', reason: 'own-cookie-in-page' }
  const rewriting = context.io.rewriter.takes(context, answer)
    ? context.io.rewriter.rewrite(context, answer, identity)
    : rewriteData(context, answer, identity)
  const soon = rewriting === undefined ? UNTOUCHED : await within(rewriting, PATIENCE_MS)
  const inTime = soon === 'late' ? UNTOUCHED : soon
  // Looked at last, with nothing awaited before the entry is in: a purge in between cannot be missed.
  if (inFlightRequest.purged) return { kind: 'not-kept', reason: 'purged-meanwhile' }
  const date = fieldValue(answer.fields, 'date') ?? new Date(answer.responseTime).toUTCString()
  const entry = storeOf(context).put(
    {
      key,
      status: answer.status,
      fields: withField(withoutFields(endToEndFields(read), DESCRIBES_CODING), 'date', date),
      requestTime: answer.requestTime,
      responseTime: answer.responseTime,
      correctedInitialAge: correctedInitialAge(answer.fields, answer.requestTime, answer.responseTime),
      nominated: nominatedFields(
        [...new Set([...apartBy(context, answer), ...answer.disclosed])].sort(),
        context.fields,
      ),
      ...(read === answer.fields ? {} : { askEachTime: true as const }),
      ...(context.background === undefined ? {} : { filledBy: context.background }),
      ...(inTime.kind === 'rewritten' ? asRewritten(inTime) : {}),
      ...(inTime.kind === 'failed' ? untilTriedAgain(inTime) : {}),
    },
    new Map<Coding, Buffer>([['identity', inTime.kind === 'rewritten' ? inTime.bytes : identity]]),
  )
  if (context.audience.kind === 'everyone') noteLinks(context, entry, identity)
  if (rewriting === undefined || soon !== 'late') return { kind: 'kept', entry }
  if (context.background === undefined) context.io.counters.countLate(context.route)
  const rewritten = putWhenReady(context, entry, rewriting).catch(
    (error: unknown) => void context.io.report(error, { rewriting: key }),
  )
  return { kind: 'kept', entry, rewritten }
}
