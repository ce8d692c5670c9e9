import type { LedgerEntry } from '../contracts/ledger.ts'

export interface LedgerFilter {
  /** Words that must occur, in any order. */
  readonly words: string
  readonly decision: LedgerEntry['decision'] | 'any'
  /** Name of a remedy that was changed, or "any". */
  readonly remedy: string
}

/** Entries that fit, in the order they came. */
export const filterLedger = (
  entries: readonly LedgerEntry[],
  { words, decision, remedy }: LedgerFilter,
): LedgerEntry[] => {
  const wanted = words
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== '')
  return entries.filter((entry) => {
    const text = [entry.title, entry.by, ...entry.changes, ...entry.results.map(({ path }) => path)]
      .join(' ')
      .toLowerCase()
    return (
      (decision === 'any' || entry.decision === decision) &&
      (remedy === 'any' || entry.changes.some((sentence) => sentence.startsWith(remedy))) &&
      wanted.every((word) => text.includes(word))
    )
  })
}
