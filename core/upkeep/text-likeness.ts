/** Words of a text, for comparisons: marks of HTML and punctuation left out. */
const wordsOf = (text: string): string[] =>
  text
    .toLowerCase()
    .replaceAll(/<[^<>]*>/g, ' ')
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)

/** Pairs of neighbouring words: order counts, so that prose of the same vocabulary is not alike. */
const pairsOf = (text: string): Set<string> => {
  const words = wordsOf(text)
  if (words.length === 1) return new Set(words)
  return new Set(words.slice(1).map((word, at) => `${words[at] ?? ''} ${word}`))
}

/**
 * How alike two texts are: the share of neighbouring word pairs that they have in common (Jaccard index over word bigrams).
 * @returns 0 to 1; texts without words are not alike
 */
export const likeness = (a: string, b: string): number => {
  const [one, other] = [pairsOf(a), pairsOf(b)]
  if (one.size === 0 || other.size === 0) return 0
  const common = [...one].filter((pair) => other.has(pair)).length
  return common / (one.size + other.size - common)
}
