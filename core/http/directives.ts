import { listMembers } from './fields.ts'
import { seconds, type Seconds } from '../time.ts'

/** Cache directives by name in lower case; a directive without argument maps to undefined (RFC 9111 §5.2). */
export type Directives = ReadonlyMap<string, string | undefined>

const MEMBER = /^([!#$%&'*+\-.^_`|~0-9A-Za-z]+)(?:\s*=(.*))?$/s
/** RFC 9111 §1.2.2: larger values count as 2^31. */
const LARGEST = 2_147_483_648

const unquote = (text: string): string =>
  text.length >= 2 && text.startsWith('"') && text.endsWith('"') ? text.slice(1, -1).replace(/\\(.)/gs, '$1') : text

const DURATIONS = new Set(['max-age', 's-maxage', 'stale-while-revalidate', 'stale-if-error'])

/**
 * Parse a Cache-Control value. Members that are no directive are ignored, as §5.2 asks of unknown ones.
 * A duration given twice with different values is kept as the text of neither, so that it counts as stale
 * (RFC 9111 §4.2.1: "either the first occurrence should be used or the response should be considered stale").
 */
export const parseDirectives = (value: string | undefined): Directives => {
  const directives = new Map<string, string | undefined>()
  for (const member of listMembers(value ?? '')) {
    const match = MEMBER.exec(member)
    if (match === null) continue
    const name = (match[1] ?? '').toLowerCase()
    const argument = match[2] === undefined ? undefined : unquote(match[2].trim())
    if (directives.has(name) && directives.get(name) !== argument)
      // `private` beside `private="field"`: the wider meaning wins, which is the safe one.
      directives.set(name, DURATIONS.has(name) ? 'conflicting' : undefined)
    else directives.set(name, argument)
  }
  return directives
}

/**
 * A delta-seconds argument (RFC 9111 §1.2.2).
 * @returns undefined when the directive is absent; 0 when its value cannot be parsed, so that it counts as stale
 */
export const deltaSeconds = (directives: Directives, name: string): Seconds | undefined => {
  if (!directives.has(name)) return undefined
  const text = directives.get(name)
  if (text === undefined || !/^\d+$/.test(text)) return seconds(0)
  return seconds(Math.min(Number(text), LARGEST))
}
