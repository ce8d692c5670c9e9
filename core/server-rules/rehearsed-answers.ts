import type { RehearsedAddress, RehearsedAnswer, RehearsedUse } from '../contracts/server-rules.ts'
import { parseDirectives } from '../http/directives.ts'

/** An answer with its body taken out of its coding; null: the coding could not be read. */
export interface HeardAnswer extends RehearsedAnswer {
  readonly decoded: Uint8Array | null
  /** Whether it was found to hold still when it was asked for by its own entity tag (RFC 9110 §13.1.2); null: it has none. */
  readonly isKnownAgain: boolean | null
}

/** What differs with every answer, and what the body's length follows from. */
const OF_NO_ACCOUNT = new Set([
  'accept-ranges',
  'age',
  'connection',
  'content-length',
  'date',
  'keep-alive',
  'server',
  'transfer-encoding',
])

/** JavaScript MIME types (WHATWG MIME Sniffing §4.6, those that are still met). */
const SCRIPT_TYPE = /^(?:text|application)\/(?:x-)?(?:javascript|ecmascript)$/

const typeOf = ({ fields }: RehearsedAnswer): string =>
  (fields['content-type'] ?? '').split(';', 1)[0]?.trim().toLowerCase() ?? ''

const isNosniff = ({ fields }: RehearsedAnswer): boolean =>
  /^\s*nosniff\s*(?:,|$)/i.test(fields['x-content-type-options'] ?? '')

/** Whether a browser refuses a file because of its type (WHATWG Fetch, "should response to request be blocked due to nosniff"). */
const isRefusedByType = (use: RehearsedUse, answer: RehearsedAnswer): boolean => {
  if (!isNosniff(answer)) return false
  if (use === 'script') return !SCRIPT_TYPE.test(typeOf(answer))
  return use === 'style' && typeOf(answer) !== 'text/css'
}

/** Whether any cache may keep an answer (RFC 9111 §3), as far as it says so itself. */
const isForEverybody = ({ fields }: RehearsedAnswer): boolean => {
  const directives = parseDirectives(fields['cache-control'])
  if (directives.has('no-store') || directives.has('private') || directives.has('no-cache')) return false
  return directives.has('public') || directives.has('max-age') || directives.has('s-maxage')
}

const equal = (one: Uint8Array, other: Uint8Array): boolean =>
  one.length === other.length && one.every((byte, index) => byte === other[index])

const NAMES: Readonly<Record<RehearsedUse, string>> = {
  page: 'page',
  style: 'style sheet',
  script: 'script',
  image: 'picture',
  font: 'font',
  other: 'file',
}

const quoted = (value: string | undefined): string => (value === undefined || value === '' ? 'nothing' : `“${value}”`)

/** Whether browsers keep an answer without asking (RFC 9111 §5.2.2.1). */
const isKept = ({ fields }: RehearsedAnswer): boolean =>
  Number(parseDirectives(fields['cache-control']).get('max-age') ?? 0) > 0

/** Names of charsets have no case (RFC 9110 §8.3.2); one that is added says what the page says itself. */
const isSameType = (before: RehearsedAnswer, after: RehearsedAnswer): boolean => {
  const plain = ({ fields }: RehearsedAnswer): string =>
    (fields['content-type'] ?? '').toLowerCase().replaceAll(/[\s"]/g, '')
  return [plain(after), plain(after).replace(/;charset=utf-8$/, '')].includes(plain(before))
}

/** What rules must never change, in sentences. */
const brokenBy = (path: string, use: RehearsedUse, before: HeardAnswer, after: HeardAnswer): string[] => {
  if (before.status !== after.status)
    return [
      `The ${NAMES[use]} ${path} is answered with status ${after.status}; without these rules it is ${before.status}.`,
    ]
  const broken: string[] = []
  const differs = (field: string): boolean => (before.fields[field] ?? '') !== (after.fields[field] ?? '')
  if (differs('location'))
    broken.push(
      `${path} is sent on to ${quoted(after.fields['location'])}; without these rules to ${quoted(before.fields['location'])}.`,
    )
  if (differs('set-cookie')) broken.push(`The cookies that ${path} sets are others.`)
  if (!isSameType(before, after))
    broken.push(
      `The type of ${path} is ${quoted(after.fields['content-type'])}; without these rules ${quoted(before.fields['content-type'])}.`,
    )
  if (after.decoded === null) broken.push(`The content of ${path} is coded in a way that browsers cannot read.`)
  else if (before.decoded !== null && !equal(before.decoded, after.decoded))
    broken.push(`The content of ${path} is another.`)
  if (!isRefusedByType(use, before) && isRefusedByType(use, after))
    broken.push(
      `Browsers refuse the ${NAMES[use]} ${path}: its type is ${quoted(typeOf(after))}, and “nosniff” makes them take it for nothing else.`,
    )
  if (before.isKnownAgain === true && after.isKnownAgain === false)
    broken.push(`${path} is sent whole again to browsers that have it: its entity tag is not known again.`)
  // Our rules give pages no lifetime; together with an older one they may.
  if (use === 'page' && !isKept(before) && isKept(after))
    broken.push(
      `Browsers would keep the page ${path} (${after.fields['cache-control']}), and visitors would not see what changes in it. An older rule in the present file does that once lifetimes are switched on: remove it.`,
    )
  if (after.fields['set-cookie'] !== undefined && !isForEverybody(before) && isForEverybody(after))
    broken.push(`${path} sets cookies, and caches would keep it for everybody.`)
  return broken
}

/**
 * What rules change in the answer for one address, and what they break.
 * @param before under the present rules
 * @param after under the new ones
 */
export const compareRehearsed = (
  path: string,
  use: RehearsedUse,
  before: HeardAnswer,
  after: HeardAnswer,
): RehearsedAddress => {
  const names = [...new Set([...Object.keys(before.fields), ...Object.keys(after.fields)])].sort()
  const changed = names
    .filter((field) => !OF_NO_ACCOUNT.has(field) && before.fields[field] !== after.fields[field])
    .map((field) => ({ field, before: before.fields[field] ?? null, after: after.fields[field] ?? null }))
  const plain = ({ status, fields, bytes }: HeardAnswer): RehearsedAnswer => ({ status, fields, bytes })
  return { path, use, before: plain(before), after: plain(after), changed, broken: brokenBy(path, use, before, after) }
}

type Answered = Pick<RehearsedAnswer, 'status' | 'fields'>

const DONE_ELSEWHERE: Readonly<Record<string, string>> = {
  'content-encoding': 'compresses',
  'cache-control': 'sends a lifetime for',
}

/**
 * Where a real server answers otherwise than the rehearsal under the same rules: what it does is set up elsewhere then, out of sight of this file.
 * @param real names of fields in lower case
 */
export const unlikeReal = (path: string, real: Answered, rehearsed: Answered): string[] => {
  if (real.status !== rehearsed.status)
    return [
      `Your server answers ${path} with status ${real.status}, and the rehearsal with ${rehearsed.status}, both under the present file: it depends on more than this file.`,
    ]
  return Object.entries(DONE_ELSEWHERE).flatMap(([field, does]) =>
    real.fields[field] !== undefined && rehearsed.fields[field] === undefined
      ? [`Your server ${does} ${path} already (${field}: ${real.fields[field]}), by rules that are not in this file.`]
      : [],
  )
}
