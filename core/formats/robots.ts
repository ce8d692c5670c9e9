/**
 * Sitemap addresses named in a robots.txt (sitemaps.org, "Specifying the Sitemap location in your robots.txt"; other
 * records are ignored as RFC 9309 §2.2.4 allows).
 * @returns absolute http(s) addresses in order, each once
 */
export const sitemapsInRobots = (text: string): string[] => {
  const found = text
    .split(/\r\n|\r|\n/)
    .map((line) => /^\s*sitemap\s*:\s*(\S+)/i.exec(line)?.[1])
    .filter((address) => address !== undefined)
    .filter((address) => /^https?:\/\//i.test(address) && URL.canParse(address))
  return [...new Set(found)]
}

/** RFC 9309 §2.5: at least 500 kibibytes are parsed; what stands behind is left out. */
const MOST_LETTERS = 500 * 1024

interface Rule {
  readonly allows: boolean
  readonly path: string
}

interface Group {
  readonly agents: string[]
  readonly rules: Rule[]
}

const LINE = /^[\t ]*([a-z-]+)[\t ]*:(.*)$/i

/** Groups in order (§2.1): user-agent lines that follow each other share the rules below them. */
const groupsOf = (text: string): Group[] => {
  const groups: Group[] = []
  let open = false
  for (const line of text
    .slice(0, MOST_LETTERS)
    .replace(/^\uFEFF/, '')
    .split(/\r\n|\r|\n/)) {
    const [, name = '', rest = ''] = LINE.exec(line) ?? []
    const value = (rest.split('#', 1)[0] ?? '').trim()
    const field = name.toLowerCase()
    if (field === 'user-agent') {
      if (!open) groups.push({ agents: [], rules: [] })
      open = true
      groups.at(-1)?.agents.push(value.toLowerCase())
    } else if (field === 'allow' || field === 'disallow') {
      open = false
      // §2.2.2: an empty path matches nothing.
      if (value !== '') groups.at(-1)?.rules.push({ allows: field === 'allow', path: comparable(value) })
    }
  }
  return groups
}

/** §2.2.2: octets that may be written in two ways are compared in one. */
const comparable = (path: string): string =>
  path
    .replaceAll(/[^\x21-\x7e]/gu, (letter) => encodeURIComponent(letter))
    .replaceAll(/%[0-9a-f]{2}/gi, (octet) => {
      const letter = String.fromCharCode(Number.parseInt(octet.slice(1), 16))
      return /[\w.~-]/.test(letter) ? letter : octet.toUpperCase()
    })

/** §2.2.3: "*" stands for any characters, "$" for the end. Each piece is taken where it first occurs, so nothing is tried twice. */
const fits = (target: string, pattern: string): boolean => {
  const ends = pattern.endsWith('$')
  const [first = '', ...rest] = (ends ? pattern.slice(0, -1) : pattern).split('*')
  if (!target.startsWith(first)) return false
  if (rest.length === 0) return !ends || target.length === first.length
  const last = rest.pop() ?? ''
  let at = first.length
  for (const piece of rest) {
    const found = target.indexOf(piece, at)
    if (found === -1) return false
    at = found + piece.length
  }
  return ends ? target.length - last.length >= at && target.endsWith(last) : target.indexOf(last, at) !== -1
}

/**
 * What a robots.txt allows (RFC 9309 §2.2): groups that name the product, else those for "*"; of the rules that fit, the longest counts, and
 * "allow" where two are of one length.
 * @param product token of whoever asks
 * @returns whether a path with its query may be asked for
 */
export const robotsRules = (text: string, product: string): ((target: string) => boolean) => {
  const groups = groupsOf(text)
  const named = groups.filter(({ agents }) => agents.includes(product.toLowerCase()))
  const counting = named.length > 0 ? named : groups.filter(({ agents }) => agents.includes('*'))
  const rules = counting.flatMap(({ rules: own }) => own)
  return (target) => {
    if (target === '/robots.txt') return true
    const asked = comparable(target)
    const fitting = rules.filter(({ path }) => fits(asked, path))
    const longest = Math.max(0, ...fitting.map(({ path }) => path.length))
    const decisive = fitting.filter(({ path }) => path.length === longest)
    return decisive.length === 0 || decisive.some(({ allows }) => allows)
  }
}
