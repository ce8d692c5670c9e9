/**
 * Patterns that owners write, in which "*" stands for any run of characters. Matched piece by piece and never by backtracking: they are asked for
 * every request, and a visitor chooses the text.
 */

/** Whether the pieces occur in the text in this order, from the given place on. Each is taken where it first occurs, which leaves most for the rest. */
const inOrder = (text: string, pieces: readonly string[], from: number): number => {
  let at = from
  for (const piece of pieces) {
    const found = text.indexOf(piece, at)
    if (found === -1) return -1
    at = found + piece.length
  }
  return at
}

/** Whether a text fits a pattern whole. */
const fitsWhole = (text: string, [first = '', ...rest]: readonly string[]): boolean => {
  const last = rest.at(-1)
  if (last === undefined) return text === first
  if (!text.startsWith(first)) return false
  const at = inOrder(text, rest.slice(0, -1), first.length)
  return at !== -1 && text.length - last.length >= at && text.endsWith(last)
}

/** Whether a path fits a pattern, or lies below one that does. */
const fitsOrBelow = (path: string, [first = '', ...rest]: readonly string[]): boolean => {
  if (!path.startsWith(first)) return false
  const ends = (at: number): boolean => at === path.length || path[at] === '/'
  const last = rest.at(-1)
  if (last === undefined) return ends(first.length)
  let at = inOrder(path, rest.slice(0, -1), first.length)
  if (at === -1) return false
  if (last === '') return true
  for (at = path.indexOf(last, at); at !== -1; at = path.indexOf(last, at + 1)) if (ends(at + last.length)) return true
  return false
}

/**
 * A matcher over a list of name patterns. Case does not matter.
 * @returns a function that is false for every name when the list is empty
 */
export const namePatterns = (patterns: readonly string[]): ((name: string) => boolean) => {
  if (patterns.length === 0) return () => false
  const compiled = patterns.map((pattern) => pattern.toLowerCase().split('*'))
  return (name) => {
    const text = name.toLowerCase()
    return compiled.some((pieces) => fitsWhole(text, pieces))
  }
}

/**
 * A matcher over a list of path patterns: "/basket" covers the path itself and what lies below it; "*" stands for any
 * run of characters, "/" included. "/" alone is the home page, "/*" everything.
 */
export const pathPatterns = (patterns: readonly string[]): ((path: string) => boolean) => {
  if (patterns.length === 0) return () => false
  const home = patterns.includes('/')
  const compiled = patterns
    .filter((pattern) => pattern !== '/')
    .map((pattern) => pattern.replace(/\/+$/, '').split('*'))
  return (path) => (home && path === '/') || compiled.some((pieces) => fitsOrBelow(path, pieces))
}
