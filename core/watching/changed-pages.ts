/** What was read of a list of pages: each page, and a mark that is another one when the page has changed; in the order of the list. */
export type Marks = readonly (readonly [path: string, mark: string])[]

/** How a list treats what is old: it names all pages there are, or the newest ones only, so that old ones leave it unchanged. */
export type ListKind = 'all' | 'newest'

/**
 * Pages that have come, changed or gone between two readings of a list. From a list of the newest, as many leave at its end as have come at its
 * beginning; those are still there.
 */
export const changedPages = (before: Marks, now: Marks, kind: ListKind): string[] => {
  const [old, current] = [new Map(before), new Map(now)]
  const changed = now.filter(([path, mark]) => old.get(path) !== mark).map(([path]) => path)
  const firstKnown = now.findIndex(([path]) => old.has(path))
  const come = firstKnown === -1 ? now.length : firstKnown
  const stayed = kind === 'all' ? before : before.slice(0, Math.max(0, before.length - come))
  const gone = stayed.filter(([path]) => !current.has(path)).map(([path]) => path)
  return [...new Set([...changed, ...gone])]
}
