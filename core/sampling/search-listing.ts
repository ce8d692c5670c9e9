import { parse } from 'parse5'
import { attributeOf, htmlElements } from '../formats/html-tree.ts'

/** What search engines read stands in the head; no head is longer, characters. */
const HEAD_WITHIN = 200_000

/** What a page says to search engines about itself. */
export interface SearchListing {
  readonly indexed: 'yes' | 'no'
  /** As it is written in the page; undefined: it names none. */
  readonly canonical: string | undefined
}

/** Read a page's robots directives and its canonical address (RFC 6596). */
export const searchListing = (html: string): SearchListing => {
  let indexed: SearchListing['indexed'] = 'yes'
  let canonical: string | undefined
  for (const { node } of htmlElements(parse(html.slice(0, HEAD_WITHIN)))) {
    const attribute = (name: string): string => attributeOf(node, name) ?? ''
    if (
      node.tagName === 'meta' &&
      attribute('name').toLowerCase() === 'robots' &&
      /\bnoindex\b/i.test(attribute('content'))
    )
      indexed = 'no'
    if (node.tagName === 'link' && attribute('rel').toLowerCase().split(/\s+/).includes('canonical'))
      canonical ??= attribute('href')
  }
  return { indexed, canonical }
}
