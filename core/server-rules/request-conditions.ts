import type { PageCacheSettings } from '../contracts/setup.ts'

/**
 * The conditions under which a request may share a page with other visitors (`core/cache/cache-bypass.ts`), as regular expressions that both web servers
 * read (PCRE). Case does not matter in those for cookies and parameters, and does in that for paths.
 */
export interface RequestConditions {
  /** Fits a whole Cookie field in which every cookie is known to be harmless; also an empty one. */
  readonly harmlessCookies: string
  /** Fits a Cookie field in which some cookie belongs to one visitor. */
  readonly ownCookies: string
  /** Fits a whole query of parameters that make no other page; also an empty one. */
  readonly ignoredQuery: string
  /** Fits a query with a parameter that passes through. */
  readonly passingQuery: string
  /** Fits a decoded path that passes through. */
  readonly passingPath: string
}

/** Fits an Accept field that takes pages (RFC 9110 §12.5.1), and none at all. */
export const ACCEPTS_PAGES = String.raw`^$|text/html|\*/\*`

/** What stands in no pattern, so that such an expression never fits. */
const NEVER = '(?!)'

/** A text as itself. Whatever configuration files could read otherwise is written by its code. */
const literally = (text: string): string =>
  text.replaceAll(/[^\w/]/gu, (sign) =>
    [...new TextEncoder().encode(sign)].map((byte) => `\\x${byte.toString(16).padStart(2, '0')}`).join(''),
  )

/** A pattern of `core/http/patterns.ts`. @param run what "*" stands for */
const expression = (pattern: string, run: string): string => pattern.split('*').map(literally).join(run)

const oneOf = (patterns: readonly string[], run: string): string =>
  patterns.length === 0 ? NEVER : `(?:${patterns.map((pattern) => expression(pattern, run)).join('|')})`

/**
 * A list of pairs whose names are all among some. A visitor chooses the text, and several patterns may fit one name: each pair is taken once and for all
 * (a lookahead is not tried again, and what it has taken is named behind it), or a text that fits nowhere would be tried in exponentially many ways.
 * @param value and what stands between two pairs, as expressions
 */
const allOf = (names: string, value: string, between: string): string =>
  `^(?:(?=(${names}(?:=${value})?(?:${between}|$)))\\1)*$`

/** Names have no white space (RFC 6265 §4.1.1); what ends one can stand in none, so that where a name ends is found at once. */
const COOKIE_NAME = '[^=;\\x20]*'
/** A name that is written in codes may be another than it looks like. */
const PARAMETER_NAME = '[^=&%+]*'

const pathExpression = (pattern: string): string => {
  if (pattern === '/') return '/$'
  const plain = pattern.replace(/\/+$/, '')
  return `${expression(plain, '.*')}${plain.endsWith('*') ? '' : '(?:/|$)'}`
}

export const requestConditions = ({
  harmlessCookies,
  visitorCookies,
  authorCookies,
  ignoredParameters,
  passParameters,
  passPaths,
}: PageCacheSettings): RequestConditions => ({
  harmlessCookies: allOf(oneOf(harmlessCookies, COOKIE_NAME), '[^;]*', ';\\x20*'),
  ownCookies: `(?:^|[;\\x20])${oneOf([...visitorCookies, ...authorCookies], COOKIE_NAME)}(?:[=;\\x20]|$)`,
  ignoredQuery: allOf(oneOf(ignoredParameters, PARAMETER_NAME), '[^&]*', '&'),
  passingQuery: `(?:^|&)${oneOf(passParameters, PARAMETER_NAME)}(?:[=&%+]|$)`,
  passingPath: passPaths.length === 0 ? NEVER : `^(?:${passPaths.map(pathExpression).join('|')})`,
})
