import { RULE_IDS, RulesChoice, type RuleId } from '../contracts/server-rules.ts'
import { RULE_TITLES } from './server-rules.ts'

/** What a block of ours says of how it was made. */
export interface ReadBack {
  readonly wanted: readonly RuleId[]
  readonly host: string | null
  readonly brotli: 'there' | 'not-there'
  readonly preloads: readonly string[]
}

const HOST = /^\s*(?:RewriteRule \^ |if .*return 308 )https:\/\/([^%$\s/]+)/m
const PRELOADED = /<(\/[^>]*)>; rel=preload/g

/** Read a block back into what was chosen when it was made: each kind of rules stands under its title. */
export const readBack = (rules: string): ReadBack => {
  const titles = new Set(rules.split(/\r?\n/).map((line) => line.trim()))
  const host = RulesChoice.shape.host.safeParse(HOST.exec(rules)?.[1] ?? null)
  const preloads = RulesChoice.shape.preloads.safeParse(
    // The same file may be named twice: in a field of the page, and in early hints.
    [...new Set([...rules.matchAll(PRELOADED)].map(([, path = '']) => path.replaceAll('%%', '%')))],
  )
  return {
    wanted: RULE_IDS.filter((id) => titles.has(`# ${RULE_TITLES[id]}`)),
    host: host.success ? host.data : null,
    brotli: /^\s*brotli on;/m.test(rules) ? 'there' : 'not-there',
    preloads: preloads.success ? preloads.data : [],
  }
}

/** Lines that go and lines that come. */
export interface LineDifference {
  readonly gone: readonly string[]
  readonly come: readonly string[]
}

/** What differs between two texts of rules, line by line, wherever the lines stand; empty lines do not count. */
export const lineDifference = (before: string, after: string): LineDifference => {
  const lines = (text: string): string[] =>
    text
      .split(/\r?\n/)
      .map((line) => line.trim())
      .filter((line) => line !== '')
  const without = (some: readonly string[], others: readonly string[]): string[] => {
    const left = new Map<string, number>()
    for (const line of others) left.set(line, (left.get(line) ?? 0) + 1)
    return some.filter((line) => {
      const count = left.get(line) ?? 0
      left.set(line, count - 1)
      return count <= 0
    })
  }
  const [old, fresh] = [lines(before), lines(after)]
  return { gone: without(old, fresh), come: without(fresh, old) }
}
