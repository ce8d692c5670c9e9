/** Whether bytes are matched by a glob pattern as RESP clients write it: `*`, `?`, `[a-c]`, `[^a]`, and `\` before what is meant as it stands. Both are one character a byte. */
export const globMatches = (pattern: string, text: string): boolean => matchesFrom(pattern, 0, text, 0)

const code = (text: string, at: number): number => text.charCodeAt(at)

/** @returns whether the character is one of the class that begins at `at`, and where the pattern goes on */
const classMatches = (pattern: string, at: number, char: number): { readonly fits: boolean; readonly next: number } => {
  let p = at + 1
  const negated = pattern[p] === '^'
  if (negated) p++
  let fits = false
  for (; ; p++) {
    if (p >= pattern.length) break
    if (pattern[p] === '\\' && p + 1 < pattern.length) {
      p++
      if (code(pattern, p) === char) fits = true
    } else if (pattern[p] === ']') break
    else if (pattern[p + 1] === '-' && p + 2 < pattern.length) {
      const ends = [code(pattern, p), code(pattern, p + 2)]
      if (char >= Math.min(...ends) && char <= Math.max(...ends)) fits = true
      p += 2
    } else if (code(pattern, p) === char) fits = true
  }
  return { fits: fits !== negated, next: Math.min(p + 1, pattern.length) }
}

const matchesFrom = (pattern: string, from: number, text: string, start: number): boolean => {
  let p = from
  let t = start
  /** Where the last star stood, and how much of the text it takes so far: one star is tried again, never two, so that no pattern takes long. */
  let star = -1
  let taken = 0
  const step = (): boolean => {
    const one = pattern[p]
    if (one === undefined) return false
    if (one === '?') p++
    else if (one === '[') {
      const { fits, next } = classMatches(pattern, p, code(text, t))
      if (!fits) return false
      p = next
    } else {
      const literal = one === '\\' && p + 1 < pattern.length ? p + 1 : p
      if (code(pattern, literal) !== code(text, t)) return false
      p = literal + 1
    }
    t++
    return true
  }
  while (t < text.length) {
    if (pattern[p] === '*') {
      star = ++p
      taken = t
    } else if (!step()) {
      if (star < 0) return false
      p = star
      t = ++taken
    }
  }
  while (pattern[p] === '*') p++
  return p >= pattern.length
}
