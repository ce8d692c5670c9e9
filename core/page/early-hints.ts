import type { Element } from 'domhandler'
import { readPage, resolved, words, type PageDocument } from './document/page-document.ts'

/** Hints of one page; what loads early delays the rest. */
const MOST_HINTS = 10
/** How far into a page its head is looked for, characters. */
const HEAD_WITHIN = 64 * 1024
const LONGEST_ADDRESS = 1000

/** What scripts of the head hold up a page until they have run (WHATWG HTML §4.12.1). */
const isBlocking = ({ attribs }: Element): boolean =>
  attribs['src'] !== undefined &&
  !['async', 'defer', 'nomodule'].some((name) => attribs[name] !== undefined) &&
  ['', 'text/javascript', 'application/javascript'].includes((attribs['type'] ?? '').trim().toLowerCase())

/** Where a style sheet or a preload holds for some screens only, the browser has to see the page first. */
const isForAll = ({ attribs }: Element): boolean =>
  ['', 'all', 'screen'].includes((attribs['media'] ?? '').trim().toLowerCase()) &&
  attribs['imagesrcset'] === undefined &&
  attribs['disabled'] === undefined

/** An address as it stands in a Link field (RFC 8288 §3): of this site without its host. @returns undefined for what does not belong there */
const written = (address: URL | undefined, page: URL): string | undefined => {
  if (address === undefined || !/^https?:$/.test(address.protocol)) return undefined
  // A path of two slashes would be read as a host.
  const isOwn = address.origin === page.origin && !address.pathname.startsWith('//')
  const text = isOwn ? address.pathname + address.search : address.href
  return text.length > LONGEST_ADDRESS || /[<>"\s]/.test(text) ? undefined : text
}

/** HTML §2.5.4: any value but use-credentials means anonymous. */
const crossOrigin = ({ attribs }: Element): string => {
  const value = attribs['crossorigin']
  if (value === undefined) return ''
  return value.trim().toLowerCase() === 'use-credentials' ? '; crossorigin=use-credentials' : '; crossorigin'
}

const TOKEN = /^[\w!#$%&'*+.^`|~/-]+$/
/** A parameter of a Link field, where the attribute has a plain value. */
const parameter = (name: string, value: string | undefined): string =>
  value === undefined || !TOKEN.test(value) ? '' : `; ${name}="${value}"`

const hintOf = (element: Element, page: PageDocument): string | undefined => {
  const { attribs } = element
  const of = (attribute: 'href' | 'src'): string | undefined =>
    written(resolved(page, attribs[attribute]), page.address)
  if (element.name === 'script')
    return isBlocking(element) ? hint(of('src'), `rel=preload; as=script${crossOrigin(element)}`) : undefined
  if (element.name !== 'link') return undefined
  const rel = words(attribs['rel'])
  if (rel.includes('preconnect')) return hint(of('href'), `rel=preconnect${crossOrigin(element)}`)
  if (!isForAll(element)) return undefined
  if (rel.includes('stylesheet') && !rel.includes('alternate'))
    return hint(of('href'), `rel=preload; as=style${crossOrigin(element)}`)
  if (!rel.includes('preload') || attribs['as'] === undefined) return undefined
  const as = parameter('as', attribs['as'])
  const more = parameter('type', attribs['type']) + parameter('fetchpriority', attribs['fetchpriority'])
  return as === '' ? undefined : hint(of('href'), `rel=preload${as}${more}${crossOrigin(element)}`)
}

const hint = (address: string | undefined, parameters: string): string | undefined =>
  address === undefined ? undefined : `<${address}>; ${parameters}`

/**
 * What a browser can fetch while it waits for the page: values of Link for 103 Early Hints (RFC 8297), from the head of the page as it was sent the last time.
 * Style sheets and scripts that hold it up, what it preloads itself, hosts that it connects to.
 */
export const earlyHints = (html: string, address: URL): string[] => {
  const body = html.search(/<body[\s>]/i)
  const head = html.slice(0, Math.min(HEAD_WITHIN, body === -1 ? HEAD_WITHIN : body))
  const page = readPage(head, address)
  // Addresses that count from elsewhere are rare, and a browser that only has the hints counts them from the page.
  if (page.elements.some(({ name, attribs }) => name === 'base' && attribs['href'] !== undefined)) return []
  const hints = page.elements.flatMap((element) => hintOf(element, page) ?? [])
  return [...new Set(hints)].slice(0, MOST_HINTS)
}
