import type { WarmUpReason } from '../contracts/warm-up.ts'

/** An address that a source names. */
export interface NamedAddress {
  readonly target: string
  readonly reason: WarmUpReason
  /** Priority in the sitemap, 0 to 1, where the source is one. */
  readonly priority?: number
  /** Visits in an access log. */
  readonly visits?: number
  /** Until when it may have changed, by its date in the sitemap; epoch ms. */
  readonly changedUntil?: number
}

/** An address of the list, with everything that speaks for it. */
export interface ListedAddress {
  readonly target: string
  readonly reasons: readonly WarmUpReason[]
  readonly priority: number
  readonly visits: number | null
  readonly changedUntil: number | null
  readonly kind: string
}

export interface ListRules {
  readonly leastPriority: number
  readonly leftOutKinds: readonly string[]
  readonly kindOf: (path: string) => string
  /** Whether an address passes through: nothing of it is ever stored. */
  readonly passes: (path: string) => boolean
  /** Whether robots.txt allows it. */
  readonly allows: (target: string) => boolean
}

/** sitemaps.org: the priority of a page that names none. */
const USUAL_PRIORITY = 0.5
/** Longer lists are cut; what comes last is least important. */
export const MOST_LISTED = 50_000

const WHY = {
  priority: 'Priority in the sitemap is too low',
  kind: 'Its kind is left out',
  pass: 'Passes through, so it is never stored',
  robots: 'robots.txt forbids it',
  'too-many': `More than ${MOST_LISTED.toLocaleString('en-GB')} addresses`,
} as const

/** Named by hand or by a program, an address is loaded whatever its priority. */
const WANTED: readonly WarmUpReason[] = ['listed', 'posted']

/**
 * The list of a warm-up from all its sources: each address once with all reasons, the home page always, in the order of priority.
 * @returns the addresses, and how many are left out for which reason
 */
export const warmUpList = (
  named: Iterable<NamedAddress>,
  rules: ListRules,
): { addresses: ListedAddress[]; leftOut: { why: string; addresses: number }[] } => {
  const found = new Map<string, Omit<ListedAddress, 'target' | 'kind' | 'reasons'> & { reasons: Set<WarmUpReason> }>()
  for (const { target, reason, priority, visits, changedUntil } of named) {
    const before = found.get(target)
    const known = {
      reasons: before?.reasons ?? new Set(),
      priority: priority ?? before?.priority ?? USUAL_PRIORITY,
      visits: visits ?? before?.visits ?? null,
      changedUntil: changedUntil ?? before?.changedUntil ?? null,
    }
    known.reasons.add(reason)
    found.set(target, known)
  }
  const counts = new Map<string, number>()
  const addresses: ListedAddress[] = []
  for (const [target, { reasons, priority, ...rest }] of found) {
    const path = target.split('?', 1)[0] ?? target
    const kind = rules.kindOf(path)
    const why = leftOut({ target, path, kind, priority, reasons }, rules)
    if (why === undefined) addresses.push({ target, reasons: [...reasons], priority, ...rest, kind })
    else counts.set(WHY[why], (counts.get(WHY[why]) ?? 0) + 1)
  }
  addresses.sort((a, b) => b.priority - a.priority)
  if (addresses.length > MOST_LISTED) counts.set(WHY['too-many'], addresses.length - MOST_LISTED)
  return {
    addresses: addresses.slice(0, MOST_LISTED),
    leftOut: [...counts].map(([why, many]) => ({ why, addresses: many })),
  }
}

const leftOut = (
  {
    target,
    path,
    kind,
    priority,
    reasons,
  }: { target: string; path: string; kind: string; priority: number; reasons: ReadonlySet<WarmUpReason> },
  rules: ListRules,
): keyof typeof WHY | undefined => {
  if (rules.passes(path)) return 'pass'
  if (!rules.allows(target)) return 'robots'
  if (WANTED.some((reason) => reasons.has(reason)) || path === '/') return undefined
  if (rules.leftOutKinds.includes(kind)) return 'kind'
  return priority < rules.leastPriority && !reasons.has('visited') ? 'priority' : undefined
}
