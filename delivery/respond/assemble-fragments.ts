import { decideCacheBypass } from '../../core/cache/cache-bypass.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import { fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import {
  asksForProcessing,
  fragmentParts,
  MOST_INCLUDES,
  type FragmentPart,
  type Include,
} from '../../core/page/document/fragments.ts'
import { storeOf } from '../fetch/fetch-context.ts'
import type { RequestContext } from './request-context.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import { passedRequestFields } from '../fetch/origin-request-fields.ts'
import type { Route } from '../request/routes.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { waitOf, type StoredResponse } from '../../core/http/stored-response.ts'
import { readBody } from '../fetch/read-body.ts'
import { fetchThroughCache } from '../fetch/fetch-through-cache.ts'
import { sendPage } from './send-page.ts'

/** A fragment may hold fragments, but not without end (Edge Side Includes 1.0 asks for three levels at least). */
const DEEPEST = 3
/** Common practice: a fragment is a snippet; a larger answer is a page that was named by mistake. */
const LARGEST_FRAGMENT = 1024 * 1024
/** Of one visitor, or of what a shared answer must not have: conditions and ranges are about the page, not its fragments. */
const ABOUT_THE_PAGE = new Set(['if-none-match', 'if-modified-since', 'if-range', 'range'])

/** What is said of a shared page, and does not hold for what one visitor is sent. */
const NOT_OF_ONE_VISITOR = new Set(['surrogate-control', 'cache-groups', 'cdn-cache-control', 'expires', 'age'])

const known = new WeakMap<StoredEntry, boolean>()

/** Whether a stored page has to be filled in before it is sent: the owner switched it on, and the origin asks for it. */
export const hasFragments = (route: Route, entry: StoredEntry): boolean => {
  if (!route.fragments) return false
  const found = known.get(entry)
  if (found !== undefined) return found
  const asked = isHtml(entry.fields) && asksForProcessing(fieldValue(entry.fields, 'surrogate-control'))
  known.set(entry, asked)
  return asked
}

/** The request for a fragment, as the same visitor would make it. Undefined for addresses outside the page's own site. */
const fragmentExchange = (page: RequestContext, src: string): RequestContext | undefined => {
  const base = `${page.visitor.scheme}://${page.visitor.host}${page.target}`
  if (!URL.canParse(src, base)) return undefined
  const url = new URL(src, base)
  if (url.host !== new URL(base).host || url.protocol !== `${page.visitor.scheme}:`) return undefined
  return {
    ...page,
    method: 'GET',
    target: url.pathname + url.search,
    path: url.pathname,
    rule: page.route.ruleFor(url.pathname),
    audience: { kind: 'everyone' },
    fields: withoutFields(page.fields, ABOUT_THE_PAGE),
  }
}

/** What one visitor's request may still cost, whatever the fragments ask for: counted over all levels together. */
interface Budget {
  includes: number
  originRequests: number
}

interface Fragment {
  readonly bytes: Buffer
  /** Whether the answer asks for fragments of its own to be filled in; markup in others is text. */
  readonly processed: boolean
}

const fragmentOf = (fields: Fields, bytes: Buffer): Fragment => ({
  bytes,
  processed: isHtml(fields) && asksForProcessing(fieldValue(fields, 'surrogate-control')),
})

const mayAsk = (budget: Budget): boolean => budget.originRequests-- > 0

/** A fragment of one visitor, straight from the origin. */
const personalFragment = async (context: RequestContext, budget: Budget): Promise<Fragment | undefined> => {
  const { io, route, visitor, target, fields } = context
  if (!mayAsk(budget)) return undefined
  const answer = await io.origin.fetch({
    site: route.siteId,
    base: route.origin.base,
    method: 'GET',
    target,
    fields: withField(passedRequestFields(fields, route, visitor, io.instance), 'accept-encoding', 'identity'),
    body: undefined,
    timeoutMs: route.origin.timeoutMs,
    signal: undefined,
    visitor: visitor.address,
    lookup: route.origin.lookup,
  })
  const collected = await readBody(answer.body, LARGEST_FRAGMENT)
  if (collected.kind === 'larger') answer.body.destroy()
  return answer.status === 200 && collected.kind === 'complete' ? fragmentOf(answer.fields, collected.bytes) : undefined
}

/** A fragment that the store may hold. */
const storableFragment = async (context: RequestContext, budget: Budget): Promise<Fragment | undefined> => {
  const found = await fetchThroughCache(context, {
    largest: LARGEST_FRAGMENT,
    kept: true,
    mayAsk: () => mayAsk(budget),
  })
  return found?.status === 200 ? fragmentOf(found.fields, found.bytes) : undefined
}

const fragmentAt = async (page: RequestContext, src: string, budget: Budget): Promise<Fragment | undefined> => {
  const context = fragmentExchange(page, src)
  if (context === undefined) return undefined
  const bypassRules = decideCacheBypass(context, page.route.bypassRules, context.rule.ignoredCookie)
  if (bypassRules.kind === 'pass') return personalFragment(context, budget)
  if (bypassRules.kind === 'shared') return storableFragment(context, budget)
  const audience = { kind: 'one', identity: bypassRules.identity } as const
  return storableFragment({ ...context, rule: page.route.privateRule, audience }, budget)
}

/** An origin that fails leaves the place of the fragment empty; a fault of ours does too, and is taken down. */
const fragmentOrNothing = (page: RequestContext, src: string, budget: Budget): Promise<Fragment | undefined> =>
  fragmentAt(page, src, budget).catch((error: unknown) => {
    if (!(error instanceof OriginFailure)) page.io.report(error, { fragment: src })
    return undefined
  })

/** What an include puts into the page; an empty text when it fails and there is nothing else to put. */
const included = async (page: RequestContext, include: Include, depth: number, budget: Budget): Promise<string> => {
  if (budget.includes-- <= 0) return ''
  for (const src of [include.src, include.alt]) {
    if (src === undefined) continue
    const fragment = await fragmentOrNothing(page, src, budget)
    if (fragment === undefined) continue
    const text = fragment.bytes.toString('utf8')
    if (!fragment.processed) return text
    return depth < DEEPEST ? filled(page, text, depth + 1, budget) : ''
  }
  return ''
}

const partText = async (page: RequestContext, part: FragmentPart, depth: number, budget: Budget): Promise<string> =>
  part.kind === 'text' ? part.text : included(page, part, depth, budget)

const filled = async (page: RequestContext, html: string, depth: number, budget: Budget): Promise<string> =>
  (await Promise.all(fragmentParts(html).map((part) => partText(page, part, depth, budget)))).join('')

/**
 * Send a stored page with its fragments filled in for this visitor. Fragments are asked for at the same time; one that fails leaves its place
 * empty. What comes out is this visitor's alone: browsers may keep it only to ask again.
 * @returns false, with nothing sent, when the stored bytes turn out to be gone or damaged
 */
export const sendAssembled = async (
  context: RequestContext,
  entry: StoredEntry,
  outcome: Outcome,
): Promise<boolean> => {
  const stored = await storeOf(context).body(entry, 'identity')
  if (stored === undefined) return false
  await sendFilled(context, entry, stored, outcome)
  return true
}

/** Send a page with fragments, wherever it comes from. */
export const sendFilled = async (
  context: RequestContext,
  answer: Pick<StoredResponse, 'status' | 'fields' | 'requestTime' | 'responseTime'>,
  bytes: Buffer,
  outcome: Outcome,
): Promise<void> => {
  const budget = { includes: MOST_INCLUDES, originRequests: context.route.fragmentRequests }
  const page = Buffer.from(await filled(context, bytes.toString('utf8'), 1, budget))
  const fields = withoutFields(answer.fields, NOT_OF_ONE_VISITOR)
  const sent = { status: answer.status, fields: withField(fields, 'cache-control', 'private, no-cache') }
  return sendPage(context, sent, page, outcome, waitOf(answer))
}
