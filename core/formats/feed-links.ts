import { parse } from 'parse5'
import { attributeOf, htmlElements } from './html-tree.ts'

const FEED_TYPE = /^application\/(?:rss|atom)\+xml\b/i

/** Feeds that a page names (WHATWG HTML §4.6.7.1): absolute addresses, each once. @param address of the page */
export const feedLinks = (html: string, address: string): string[] => {
  const found = new Set<string>()
  for (const { node } of htmlElements(parse(html))) {
    if (node.tagName !== 'link' || !FEED_TYPE.test(attributeOf(node, 'type') ?? '')) continue
    const href = attributeOf(node, 'href')
    if (!/\balternate\b/i.test(attributeOf(node, 'rel') ?? '') || href === undefined) continue
    if (URL.canParse(href, address)) found.add(new URL(href, address).href)
  }
  return [...found]
}
