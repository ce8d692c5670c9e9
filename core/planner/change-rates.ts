/** Content changes that were told. @property paths that changed; "everything" where all pages did */
export interface ToldChange {
  /** Epoch ms */
  readonly at: number
  readonly paths: readonly string[]
}

const DAY_MS = 86_400_000
/** Changes before this are left out: a site changes its habits. */
const MOST_DAYS = 30

/**
 * Changes a day of each kind of page.
 * @param kindOf index of the kind that a path is of
 * @param now epoch ms @returns for each kind
 */
export const changesPerDay = (
  changes: readonly ToldChange[],
  { kinds, kindOf, now }: { readonly kinds: number; readonly kindOf: (path: string) => number; readonly now: number },
): number[] => {
  const counts = Array.from({ length: kinds }, () => 0)
  const recent = changes.filter(({ at }) => at >= now - MOST_DAYS * DAY_MS && at <= now)
  if (recent.length === 0) return counts
  const oldest = Math.min(...recent.map(({ at }) => at))
  const days = Math.max(1, (now - oldest) / DAY_MS)
  for (const { paths } of recent)
    // One change is of one kind: its further addresses are what it makes old besides.
    for (const kind of new Set(paths.slice(0, 1).map(kindOf))) counts[kind]! += 1 / days
  return counts
}
