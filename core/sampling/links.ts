import { parse } from 'parse5'
import { attributeOf, htmlElements } from '../formats/html-tree.ts'

/** What is not a page, by its ending. */
export const FILE = /\.(?:css|m?js|json|xml|txt|png|jpe?g|gif|webp|avif|svg|ico|woff2?|pdf|zip|gz|mp[34]|webm)$/i
/** Addresses at which something is done rather than shown; following one could sign somebody out. */
export const ACTS = /(?:log|sign)-?(?:out|in|off)|logout|unsubscribe|delete|cart|basket|checkout/i

/**
 * Pages of the same site that a page links to, in the order of the page, each once. Links that do something are left out.
 * @param address of the page itself
 * @returns paths without query
 */
export const linkedPages = (html: string, address: string): string[] => {
  const found = new Set<string>()
  let base = address
  const { origin } = new URL(address)
  for (const { node: element } of htmlElements(parse(html))) {
    const href = attributeOf(element, 'href')
    if (href === undefined) continue
    if (element.tagName === 'base' && URL.canParse(href, address)) base = new URL(href, address).href
    if (element.tagName !== 'a' || !URL.canParse(href, base)) continue
    const url = new URL(href, base)
    const nofollow = (attributeOf(element, 'rel') ?? '').split(/\s+/).includes('nofollow')
    if (url.origin !== origin || nofollow || FILE.test(url.pathname) || ACTS.test(url.pathname)) continue
    found.add(url.pathname)
  }
  return [...found]
}

/** Addresses and words of links that lead to where visitors sign in. */
const SIGNS_IN = /\b(?:log|sign)[-_ ]?in\b|\blogin\b|\baccount\b/i

/** Pages of the same site on which visitors sign in, as far as a page links to them; paths without query. */
export const signInPages = (html: string, address: string): string[] => {
  const { hostname } = new URL(address)
  const found = new Set<string>()
  for (const { node: element } of htmlElements(parse(html))) {
    const href = element.tagName === 'a' ? attributeOf(element, 'href') : undefined
    if (href === undefined || !URL.canParse(href, address)) continue
    const url = new URL(href, address)
    const words = element.childNodes.map((child) => ('value' in child ? child.value : '')).join(' ')
    if (url.hostname === hostname && (SIGNS_IN.test(url.pathname) || SIGNS_IN.test(words))) found.add(url.pathname)
  }
  return [...found]
}

/** Depth to which elements say what kind of page it is; below that is content. */
const STRUCTURE_DEPTH = 7

/** What a page is built of: its upper elements with their classes, ids and numbers left out. */
export const structureOf = (html: string): ReadonlySet<string> => {
  const parts = new Set<string>()
  for (const { node: element, depth } of htmlElements(parse(html))) {
    if (depth > STRUCTURE_DEPTH || ['script', 'style', 'link', 'meta'].includes(element.tagName)) continue
    const classes = (attributeOf(element, 'class') ?? '')
      .split(/\s+/)
      .filter((name) => name !== '' && !/\d/.test(name))
      .sort()
    parts.add([`${depth} ${element.tagName}`, ...classes].join('.'))
  }
  return parts
}
