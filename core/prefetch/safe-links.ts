import { ACTS, FILE } from '../sampling/links.ts'

/** A link of a page, with what there is to judge it by. */
export interface PageLink {
  readonly address: URL
  readonly rel: readonly string[]
  /** What it says, and what it is called for those who cannot see it. */
  readonly words: string
  /** Names of its attributes. */
  readonly attributes: readonly string[]
}

export interface LinkRules {
  /** Of the page itself. */
  readonly page: URL
  /** Whether an address passes through: nothing of it is ever stored. */
  readonly passesPath: (path: string) => boolean
  readonly passesParameter: (name: string) => boolean
}

/** Why a link is not fetched ahead. */
export type UnsafeLink =
  'other-site' | 'this-page' | 'file' | 'download' | 'rel' | 'acts' | 'passes' | 'parameter' | 'key' | 'scripted'

/** HTML §4.6.7: links that the author does not vouch for, or that were put there by others. */
const NOT_VOUCHED = new Set(['nofollow', 'external', 'sponsored', 'ugc'])
/** Words of links at which something is done rather than shown, in several languages (common practice). */
const ACTING_WORDS =
  /\b(?:(?:log|sign)[ -]?(?:out|off)|abmelden|déconnexion|cerrar sesión|delete|remove|unsubscribe|add to|buy now|vote|like|follow|mark as)\b/i
/** Parameters that hold what only one request may use (common practice). */
const KEY_NAMES = /(?:nonce|token|csrf|xsrf|signature|^sig$|^key$|^auth|hash|expires|otp|^code$)/i
/** Parameters that do something. */
const ACTING_NAMES = /^(?:action|do|cmd|task|op|add|remove|delete|vote)$/i
/** Long runs of letters and digits mixed are keys, not names. */
const KEY_VALUE = /(?=[\w-]*\d)(?=[\w-]*[a-z])[\w-]{20,}/i
/** Attributes by which scripts turn a link into a button. */
const SCRIPTED = /^(?:onclick|onmousedown|onpointerdown|data-(?:method|confirm|action|ajax|remote)|hx-.*|ping)$/i
const LONGEST_ADDRESS = 1000

/** Why a link must not be fetched ahead; undefined: fetching it changes nothing and shows a page of the site. */
export const unsafeLink = (
  { address, rel, words, attributes }: PageLink,
  { page, passesPath, passesParameter }: LinkRules,
): UnsafeLink | undefined => {
  const { pathname, search, searchParams } = address
  if (address.origin !== page.origin || address.username !== '' || address.href.length > LONGEST_ADDRESS)
    return 'other-site'
  if (pathname === page.pathname && search === page.search) return 'this-page'
  if (attributes.includes('download')) return 'download'
  if (rel.some((one) => NOT_VOUCHED.has(one))) return 'rel'
  if (FILE.test(pathname)) return 'file'
  if (attributes.some((name) => SCRIPTED.test(name))) return 'scripted'
  if (passesPath(pathname)) return 'passes'
  if (ACTS.test(pathname + search) || ACTING_WORDS.test(words)) return 'acts'
  for (const [name, value] of searchParams) {
    if (passesParameter(name)) return 'parameter'
    if (ACTING_NAMES.test(name)) return 'acts'
    if (KEY_NAMES.test(name) || KEY_VALUE.test(value)) return 'key'
  }
  return pathname.split('/').some((part) => KEY_VALUE.test(part) && !part.includes('-')) ? 'key' : undefined
}
