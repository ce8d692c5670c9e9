import type { PageDocument } from './page-document.ts'

/** What a page's Content-Security-Policy lets a rewrite do (CSP Level 3). */
export interface PagePolicy {
  readonly inlineScript: boolean
  readonly inlineStyle: boolean
  readonly dataScript: boolean
  readonly dataImage: boolean
  /** Whether files of the page's own host may be loaded as scripts, styles. */
  readonly ownScript: boolean
  readonly ownStyle: boolean
  /** Whether pages of the page's own host may be shown in frames. */
  readonly ownFrame: boolean
  /** Whether inline code is allowed by its digest, so that it must stay as it is. */
  readonly hashes: boolean
  /** Whether scripts, styles, fonts and pictures of another host may be loaded. */
  readonly loadsFrom: (host: URL) => boolean
}

type Directives = ReadonlyMap<string, readonly string[]>

const parsePolicy = (text: string): Directives =>
  new Map(
    text
      .split(';')
      .map((part) => part.trim().split(/\s+/))
      .filter(([name]) => name !== undefined && name !== '')
      .map(([name = '', ...sources]) => [name.toLowerCase(), sources]),
  )

const HASH = /^'sha(256|384|512)-/i

/** §6.7.3.3: 'unsafe-inline' counts only beside no nonce and no hash. */
const inline = (sources: readonly string[] | undefined): boolean =>
  sources === undefined ||
  (sources.includes("'unsafe-inline'") && !sources.some((one) => HASH.test(one) || /^'nonce-/i.test(one)))

const own = (sources: readonly string[] | undefined, address: URL): boolean =>
  sources === undefined ||
  (!sources.includes("'strict-dynamic'") &&
    sources.some((one) => ["'self'", '*', address.protocol, address.host, address.origin].includes(one)))

/** §6.7.2.8, as far as whole hosts go: a source that names the host, its scheme or any host. */
const names = (sources: readonly string[] | undefined, { host, origin, protocol }: URL): boolean =>
  sources === undefined ||
  (!sources.includes("'strict-dynamic'") && sources.some((one) => ['*', protocol, host, origin].includes(one)))

const judged = (policy: Directives, address: URL): PagePolicy => {
  const of = (...names: string[]): readonly string[] | undefined =>
    names.map((name) => policy.get(name)).find((sources) => sources !== undefined)
  const script = of('script-src-elem', 'script-src', 'default-src')
  const style = of('style-src-elem', 'style-src', 'default-src')
  const image = of('img-src', 'default-src')
  return {
    inlineScript: inline(script),
    inlineStyle: inline(style),
    dataScript: script === undefined || script.includes('data:'),
    dataImage: image === undefined || image.includes('data:'),
    ownScript: own(script, address),
    ownStyle: own(style, address),
    // §6.1.8: workers and frames fall back to child-src before default-src.
    ownFrame: own(of('frame-src', 'child-src', 'default-src'), address),
    hashes: [...(script ?? []), ...(style ?? [])].some((one) => HASH.test(one)),
    loadsFrom: (host) => [script, style, image, of('font-src', 'default-src')].every((sources) => names(sources, host)),
  }
}

/**
 * What all policies of a page together allow: each one, from the header field and from meta elements, must allow it (§3.1).
 * @param header value of Content-Security-Policy; several policies are separated by commas (RFC 9110 §5.3)
 */
export const pagePolicy = (page: PageDocument, header: string | undefined): PagePolicy => {
  const metas = page.elements
    .filter(
      ({ name, attribs }) => name === 'meta' && attribs['http-equiv']?.toLowerCase() === 'content-security-policy',
    )
    .map(({ attribs }) => attribs['content'] ?? '')
  const all = [...(header ?? '').split(','), ...metas]
    .map(parsePolicy)
    .filter(({ size }) => size > 0)
    .map((policy) => judged(policy, page.address))
  const every = (key: Exclude<keyof PagePolicy, 'loadsFrom'>): boolean => all.every((one) => one[key])
  return {
    inlineScript: every('inlineScript'),
    inlineStyle: every('inlineStyle'),
    dataScript: every('dataScript'),
    dataImage: every('dataImage'),
    ownScript: every('ownScript'),
    ownStyle: every('ownStyle'),
    ownFrame: every('ownFrame'),
    hashes: all.some(({ hashes }) => hashes),
    loadsFrom: (host) => all.every((one) => one.loadsFrom(host)),
  }
}
