import { fieldValue, hasField, type Fields } from '../http/fields.ts'
import { freshnessLifetime, isHtml, type OwnerLifetimes } from '../http/freshness.ts'
import { sharedDirectives } from '../http/cdn-cache-control.ts'
import { NOT_STORED } from '../http/reasons.ts'
import { decideStoring } from '../http/storing.ts'
import { keptApartBy, varyNames } from '../http/vary.ts'
import type { EpochMs } from '../time.ts'

/** Fields that a file cannot carry, and whose loss browsers or search engines would notice. */
const NEEDED_FIELDS = [
  'content-security-policy',
  'content-security-policy-report-only',
  'permissions-policy',
  'x-frame-options',
  'x-robots-tag',
  'cross-origin-opener-policy',
  'cross-origin-embedder-policy',
  'cross-origin-resource-policy',
  'access-control-allow-origin',
  'content-language',
  'content-disposition',
  'refresh',
] as const

/** Why a page's own words forbid that it is handed out without being asked for. */
const whyNotKept = (response: PageAnswer, owner: OwnerLifetimes): string | undefined => {
  const { fields } = response
  const storing = decideStoring({ method: 'GET', fields: [] }, response, owner)
  if (storing.kind === 'not-stored') return NOT_STORED[storing.reason]
  if (freshnessLifetime(response, owner).lifetime === 0 || sharedDirectives(fields).directives.has('no-cache'))
    return 'It asks to be checked with every visit (Cache-Control), which a file cannot be.'
  const names = varyNames(fields)
  return names === '*' || keptApartBy(names, false).length > 0
    ? `It differs with what a browser sends (Vary: ${fieldValue(fields, 'vary')}), and everybody would get the same.`
    : undefined
}

const CHARSET = /charset\s*=\s*"?([^\s;"]+)/i
/** HTML §4.2.5.4: within the first 1024 bytes. */
const NAMED_IN_PAGE = /<meta[^>]+charset\s*=\s*["']?([\w-]+)/i

/** What a page's file cannot carry. */
const whyNotWhole = ({ fields }: PageAnswer, body: string, carried: ReadonlySet<string>): string | undefined => {
  const charset =
    CHARSET.exec(fieldValue(fields, 'content-type') ?? '')?.[1] ?? NAMED_IN_PAGE.exec(body.slice(0, 1024))?.[1]
  if (charset === undefined) return 'Nothing says in which charset its text is.'
  if (charset.toLowerCase() !== 'utf-8') return `Its text is in ${charset}; the server would send it as UTF-8.`
  const needed = NEEDED_FIELDS.find((name) => hasField(fields, name) && !carried.has(name))
  if (needed !== undefined) return `It is sent with ${needed}, which a file cannot carry.`
  return /<\/html\s*>\s*(?:<!--[^]*-->\s*)?$/i.test(body.slice(-4000))
    ? undefined
    : 'Its end is missing, so it may not be whole.'
}

/** The answer of a content system for a page. */
interface PageAnswer {
  readonly status: number
  readonly fields: Fields
  readonly responseTime: EpochMs
}

/**
 * Why a page is not written as a file; undefined: it may be.
 * @param owner lifetimes of answers that give none
 * @param carried names of fields that the server adds to files too
 */
export const whyNoPageFile = (
  response: PageAnswer,
  body: string,
  owner: OwnerLifetimes,
  carried: ReadonlySet<string>,
): string | undefined => {
  if (response.status !== 200) return `It is answered with status ${response.status}.`
  if (!isHtml(response.fields)) return 'It is not HTML.'
  return whyNotKept(response, owner) ?? whyNotWhole(response, body, carried)
}
