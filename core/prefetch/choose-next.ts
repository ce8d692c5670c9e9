import type { NextPagesAnswer, PrefetchCaution } from '../contracts/next-pages.ts'
import type { NextPageRule, PrefetchSettings, PrefetchWhen } from '../contracts/rewriting.ts'
import type { LikelyPage } from './page-sequences.ts'

/** Visits of a page before what follows it counts as known. */
export const LEAST_VISITS = 20
/** Pages fetched as soon as a page is shown. */
export const MOST_AT_ONCE = 4
/** Of these and what the owner always wants together. */
const MOST_WITH_RULES = 10
/** Pages rendered at once: each takes a visitor's processor and memory as a page of its own. */
export const MOST_PRERENDERED = 2

/** What there is of a page: no fresh copy for everyone, one that may be fetched ahead, or one that may be rendered ahead, too. */
export type CopyState = 'none' | 'fetchable' | 'renderable'

/** What is known of a page when the pages to fetch from it are chosen. */
export interface KnownPage {
  /** Path and query. */
  readonly page: string
  readonly visits: number
  /** The likeliest first. */
  readonly likely: readonly LikelyPage[]
}

/** Pages that the owner has spoken about, from one page. */
const ruled = (rules: readonly NextPageRule[], page: string, fetch: NextPageRule['fetch']): string[] =>
  rules.filter((rule) => rule.page === page && rule.fetch === fetch).map(({ next }) => next)

type ChoiceSettings = Pick<PrefetchSettings, 'when' | 'learn' | 'likelyPercent' | 'prerender' | 'rules'>

/** The more careful of two. */
const ORDER: readonly PrefetchWhen[] = ['press', 'hover', 'view']
const atMost = (when: PrefetchWhen, most: PrefetchWhen): PrefetchWhen =>
  ORDER[Math.min(ORDER.indexOf(when), ORDER.indexOf(most))] ?? 'press'

/**
 * What may be fetched ahead from a page: what the owner always wants, then what visitors usually open next, as long as little enough was fetched for
 * nothing; everything else when its link is pressed, pointed at or seen.
 * Only the likeliest are rendered ahead.
 * @param copyOf what there is of a page; one that is not stored and fresh for everyone is never fetched, since that would cost the origin a request
 */
export const chooseNext = (
  { page, visits, likely }: KnownPage,
  { when, learn, likelyPercent, prerender, rules }: ChoiceSettings,
  caution: PrefetchCaution,
  copyOf: (page: string) => CopyState,
): NextPagesAnswer => {
  const never = ruled(rules, page, 'never')
  const always = ruled(rules, page, 'always').slice(0, MOST_WITH_RULES)
  const known = learn && caution === 'none' && visits >= LEAST_VISITS
  const usual = known ? likely.filter(({ share }) => share * 100 >= likelyPercent).map((one) => one.page) : []
  const wanted = [...new Set([...always, ...usual])].filter((next) => next !== page && !never.includes(next))
  const copies = new Map(wanted.map((next) => [next, copyOf(next)]))
  const now = wanted.filter((next) => copies.get(next) !== 'none').slice(0, Math.max(MOST_AT_ONCE, always.length))
  const renderable = now.filter((next) => copies.get(next) === 'renderable')
  return {
    now,
    prerender: prerender ? renderable.slice(0, MOST_PRERENDERED) : [],
    never,
    when: caution === 'none' ? when : atMost(when, caution === 'pointed-at' ? 'hover' : 'press'),
  }
}
