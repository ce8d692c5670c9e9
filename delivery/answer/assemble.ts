import { admit } from '../../core/http/admission.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import { fieldValue, withField, withoutFields } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import {
  asksForProcessing,
  fragmentParts,
  type FragmentPart,
  type Include,
} from '../../core/page/fragments.ts'
import { storeOf, type Exchange } from '../exchange.ts'
import { passedRequestFields } from '../origin/request-fields.ts'
import type { Route } from '../routing.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { waitOf, type StoredResponse } from '../../core/http/stored-response.ts'
import { collect } from './keeping.ts'
import { obtain } from './obtain.ts'
import { sendPage } from './send-page.ts'

/** A fragment may hold fragments, but not without end (Edge Side Includes 1.0 asks for three levels at least). */
const DEEPEST = 3
/** Common practice: a fragment is a snippet; a larger answer is a page that was named by mistake. */
const LARGEST_FRAGMENT = 1024 * 1024
/** Of one visitor, or of what a shared answer must not have: conditions and ranges are about the page, not its fragments. */
const ABOUT_THE_PAGE = new Set(['if-none-match', 'if-modified-since', 'if-range', 'range'])

/** What is said of a shared page, and does not hold for what one visitor is sent. */
const NOT_OF_ONE_VISITOR = new Set([
  'surrogate-control',
  'cache-groups',
  'cdn-cache-control',
  'expires',
  'age',
])

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
const fragmentExchange = (page: Exchange, src: string): Exchange | undefined => {
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

/** A fragment of one visitor, straight from the origin. */
const personalFragment = async (exchange: Exchange): Promise<Buffer | undefined> => {
  const { io, route, visitor, target, fields } = exchange
  const answer = await io.origin.fetch({
    base: route.origin.base,
    method: 'GET',
    target,
    fields: withField(
      passedRequestFields(fields, route, visitor, io.instance),
      'accept-encoding',
      'identity',
    ),
    body: undefined,
    timeoutMs: route.origin.timeoutMs,
    signal: undefined,
  })
  const collected = await collect(answer.body, LARGEST_FRAGMENT)
  return answer.status === 200 && collected.kind === 'complete' ? collected.bytes : undefined
}

/** A fragment that the store may hold. */
const storableFragment = async (exchange: Exchange): Promise<Buffer | undefined> => {
  const found = await obtain(exchange, { largest: LARGEST_FRAGMENT, kept: true })
  return found?.status === 200 ? found.bytes : undefined
}

const fragmentBytes = async (page: Exchange, src: string): Promise<Buffer | undefined> => {
  const exchange = fragmentExchange(page, src)
  if (exchange === undefined) return undefined
  const admission = admit(exchange, page.route.admission, exchange.rule.ignoredCookie)
  if (admission.kind === 'pass') return personalFragment(exchange)
  if (admission.kind === 'shared') return storableFragment(exchange)
  return storableFragment({
    ...exchange,
    rule: page.route.privateRule,
    audience: { kind: 'one', identity: admission.identity },
  })
}

/** What an include puts into the page; an empty text when it fails and there is nothing else to put. */
const included = async (page: Exchange, include: Include, depth: number): Promise<string> => {
  for (const src of [include.src, include.alt]) {
    if (src === undefined) continue
    const bytes = await fragmentBytes(page, src).catch(() => undefined)
    if (bytes !== undefined) return depth < DEEPEST ? filled(page, bytes.toString('utf8'), depth + 1) : ''
  }
  return ''
}

const partText = (page: Exchange, part: FragmentPart, depth: number): string | Promise<string> =>
  part.kind === 'text' ? part.text : included(page, part, depth)

const filled = async (page: Exchange, html: string, depth: number): Promise<string> =>
  (await Promise.all(fragmentParts(html).map((part) => partText(page, part, depth)))).join('')

/**
 * Send a stored page with its fragments filled in for this visitor. Fragments are asked for at the same time; one that fails leaves its place
 * empty. What comes out is this visitor's alone: browsers may keep it only to ask again.
 * @returns false, with nothing sent, when the stored bytes turn out to be gone or damaged
 */
export const sendAssembled = async (
  exchange: Exchange,
  entry: StoredEntry,
  outcome: Outcome,
): Promise<boolean> => {
  const stored = await storeOf(exchange).body(entry, 'identity')
  if (stored === undefined) return false
  await sendFilled(exchange, entry, stored, outcome)
  return true
}

/** Send a page with fragments, wherever it comes from. */
export const sendFilled = async (
  exchange: Exchange,
  answer: Pick<StoredResponse, 'status' | 'fields' | 'requestTime' | 'responseTime'>,
  bytes: Buffer,
  outcome: Outcome,
): Promise<void> => {
  const page = Buffer.from(await filled(exchange, bytes.toString('utf8'), 1))
  const fields = withoutFields(answer.fields, NOT_OF_ONE_VISITOR)
  const sent = { status: answer.status, fields: withField(fields, 'cache-control', 'private, no-cache') }
  return sendPage(exchange, sent, page, outcome, waitOf(answer))
}
