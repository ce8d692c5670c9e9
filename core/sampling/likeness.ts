/** How alike two structures are: what both have of what either has (Jaccard 1901), 0 to 1. */
export const likeness = (a: ReadonlySet<string>, b: ReadonlySet<string>): number => {
  const both = [...a].filter((part) => b.has(part)).length
  const either = a.size + b.size - both
  return either === 0 ? 1 : both / either
}
