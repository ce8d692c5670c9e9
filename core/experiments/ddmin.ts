/** Parts of a list that are as equal in length as can be. */
const split = <T>(items: readonly T[], parts: number): T[][] =>
  Array.from({ length: parts }, (_, i) =>
    items.slice(Math.floor((i * items.length) / parts), Math.floor(((i + 1) * items.length) / parts)),
  ).filter((part) => part.length > 0)

/**
 * Delta debugging, the minimising algorithm ddmin (Zeller, Hildebrandt 2002, "Simplifying and Isolating Failure-Inducing Input"): a subset
 * that is still bad, and of which no single item can be taken away.
 * @param isBad asked with subsets; all items together are bad, none is not. What it throws ends the search.
 */
export const ddmin = async <T>(
  items: readonly T[],
  isBad: (applied: readonly T[]) => Promise<boolean>,
): Promise<T[]> => {
  let current = [...items]
  let parts = 2
  while (current.length > 1) {
    const subsets = split(current, parts)
    let reduced: T[] | undefined
    for (const subset of subsets)
      if (await isBad(subset)) {
        reduced = subset
        parts = 2
        break
      }
    if (reduced === undefined && parts > 2)
      for (const subset of subsets) {
        const rest = current.filter((item) => !subset.includes(item))
        if (await isBad(rest)) {
          reduced = rest
          parts = Math.max(parts - 1, 2)
          break
        }
      }
    if (reduced !== undefined) current = reduced
    else if (parts >= current.length) break
    else parts = Math.min(current.length, parts * 2)
  }
  return current
}
