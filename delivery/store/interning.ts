import type { Fields } from '../../core/http/fields.ts'

/** Field lines that are remembered: a site has few different ones besides dates and tags. */
const MOST_LINES = 20_000
const LONGEST_VALUE = 200
const lines = new Map<string, readonly [string, string]>()
const names = new Map<string, string>()

const internName = (name: string): string => {
  const known = names.get(name)
  if (known !== undefined) return known
  if (names.size < 1000) names.set(name, name)
  return name
}

/** Values that differ from page to page are not worth remembering. */
const DIFFERS = new Set(['date', 'etag', 'last-modified', 'expires', 'content-length', 'age'])

/**
 * The same fields, with lines that many responses have in common held once: a hundred thousand stored pages of a site differ in date and tag
 * only, and would else take twice the memory.
 */
export const internFields = (fields: Fields): Fields =>
  fields.map(([name, value]) => {
    if (DIFFERS.has(name) || value.length > LONGEST_VALUE) return [internName(name), value] as const
    const text = `${name}: ${value}`
    const known = lines.get(text)
    if (known !== undefined) return known
    const line = [internName(name), value] as const
    if (lines.size < MOST_LINES) lines.set(text, line)
    return line
  })

const NONE: readonly never[] = []
export const internNominated = <T>(nominated: readonly T[]): readonly T[] => (nominated.length === 0 ? NONE : nominated)
