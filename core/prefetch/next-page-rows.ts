import type { PageSequence } from '../contracts/next-pages.ts'
import type { NextPageRule, PrefetchSettings } from '../contracts/rewriting.ts'
import { LEAST_VISITS } from './choose-next.ts'

/** One page that follows another: what visits say, what the owner says, and what comes of it. */
export interface NextPageRow {
  readonly page: string
  readonly next: string
  /** Visits that went on to it; 0 where only the owner names it. */
  readonly visits: number
  /** Share of the page's visits, 0 to 1; null: the page has not been opened. */
  readonly share: number | null
  readonly rule: NextPageRule['fetch'] | 'by-visits'
  readonly fetched: 'at-once' | 'by-link' | 'never'
}

type Settings = Pick<PrefetchSettings, 'learn' | 'likelyPercent' | 'rules'>

const fetchedBy = (
  rule: NextPageRow['rule'],
  { learn, likelyPercent }: Settings,
  pageVisits: number,
  share: number | null,
): NextPageRow['fetched'] => {
  if (rule === 'never') return 'never'
  if (rule === 'always') return 'at-once'
  return learn && pageVisits >= LEAST_VISITS && (share ?? 0) * 100 >= likelyPercent ? 'at-once' : 'by-link'
}

/** Pages that follow others as a table: what the owner has spoken about first, then by visits. */
export const nextPageRows = (sequences: readonly PageSequence[], settings: Settings): NextPageRow[] => {
  const ruleOf = (page: string, next: string): NextPageRow['rule'] =>
    settings.rules.find((one) => one.page === page && one.next === next)?.fetch ?? 'by-visits'
  const learnt = sequences.flatMap(({ page, visits: all, next }) =>
    next.map(({ page: to, visits }): NextPageRow => {
      const share = Math.min(1, visits / Math.max(1, all))
      const rule = ruleOf(page, to)
      return { page, next: to, visits, share, rule, fetched: fetchedBy(rule, settings, all, share) }
    }),
  )
  const named = settings.rules
    .filter(({ page, next }) => !learnt.some((row) => row.page === page && row.next === next))
    .map(({ page, next, fetch }): NextPageRow => {
      const share = sequences.some((one) => one.page === page) ? 0 : null
      return { page, next, visits: 0, share, rule: fetch, fetched: fetchedBy(fetch, settings, 0, share) }
    })
  const isRuled = ({ rule }: NextPageRow): number => (rule === 'by-visits' ? 1 : 0)
  return [...named, ...learnt].sort((a, b) => isRuled(a) - isRuled(b) || b.visits - a.visits)
}

/** The owner's rules with another word on one page after another. */
export const withNextPageRule = (
  rules: readonly NextPageRule[],
  page: string,
  next: string,
  rule: NextPageRow['rule'],
): NextPageRule[] => {
  const others = rules.filter((one) => one.page !== page || one.next !== next)
  return rule === 'by-visits' ? others : [...others, { page, next, fetch: rule }]
}
