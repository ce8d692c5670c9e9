import { fieldValue, type Fields } from './fields.ts'

/** Keeps a trial within itself: addresses of the site's other names become its own, in fields and in the text of pages. */

/** Names that mean the same site, and the one they become. */
export interface HostRewrite {
  /** In lower case: names of live, whatever the port; the origin's with its port where it has one, since another port is another server. */
  readonly others: readonly string[]
  /** Scheme, host and public port of the visitor's own. */
  readonly own: string
}

const escaped = (text: string): string => text.replaceAll(/[.*+?^${}()|[\]\\]/g, '\\$&')

/** With or without scheme, plain or as JSON writes it (`https:\/\/`), followed by what can follow a host. */
const pattern = (others: readonly string[]): RegExp =>
  new RegExp(
    `(https?:)?(\\\\?/\\\\?/)(?:${others.map((name) => (name.includes(':') ? escaped(name) : `${escaped(name)}(?::\\d+)?`)).join('|')})(?![\\w.:-])`,
    'gi',
  )

/** The text with absolute addresses of the site's other names turned into own ones; others' addresses and bare names stay. */
export const rewriteHosts = (text: string, { others, own }: HostRewrite): string => {
  if (others.length === 0) return text
  const [scheme, host] = own.split('//') as [string, string]
  return text.replaceAll(
    pattern(others),
    (_match, given: string | undefined, slashes: string) => `${given === undefined ? '' : scheme}${slashes}${host}`,
  )
}

const TRANSLATED = /^\s*(?:text\/(?:html|css)|application\/(?:xhtml\+xml|(?:[\w.+-]*\+)?json))\b/i

/**
 * Whether the text of an answer is translated: pages, styles and data. Scripts are not: an address in them may be part of anything,
 * and the page may hold their digest (Subresource Integrity).
 */
export const namesAddresses = (fields: Fields): boolean => TRANSLATED.test(fieldValue(fields, 'content-type') ?? '')

const NAMING = new Set(['location', 'content-location', 'link', 'refresh'])

/** Without a Domain attribute a cookie is for the host that set it alone (RFC 6265 §4.1.2.3). */
const hostOnly = (line: string): string =>
  line
    .split(';')
    .filter((part, index) => index === 0 || !/^\s*domain\s*=/i.test(part))
    .join(';')

/** The same for header fields that name addresses; cookies are kept to this host. */
export const rewriteHostsInFields = (fields: Fields, addresses: HostRewrite): Fields =>
  fields.map(([name, value]) => {
    if (name === 'set-cookie') return [name, hostOnly(value)]
    return NAMING.has(name) ? [name, rewriteHosts(value, addresses)] : [name, value]
  })
