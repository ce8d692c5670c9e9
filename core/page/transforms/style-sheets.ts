import type { Element } from 'domhandler'
import { exceptionSentence, type Exceptions } from '../context/exceptions.ts'
import type { RewriteContext } from '../context/rewrite-context.ts'
import { isStyleLink, resolved, type PageDocument } from '../document/page-document.ts'

/** A linked style sheet whose text is known. */
export interface KnownSheet {
  readonly element: Element
  readonly address: URL
  readonly href: string
  readonly text: string
  readonly media: string
}

/**
 * The style sheets that a page links to and whose text is at hand, in order.
 * @param tellLeft told of each that is left alone
 */
export const knownSheets = (
  page: PageDocument,
  { shelf }: RewriteContext,
  left: Exceptions,
  tellLeft: (href: string, why: string) => void,
): KnownSheet[] => {
  const known: KnownSheet[] = []
  for (const element of page.elements.filter(isStyleLink)) {
    const href = element.attribs['href'] ?? ''
    const address = resolved(page, href)
    const text = shelf.find(address)?.text
    if (address === undefined || text === undefined) {
      tellLeft(href, 'Left alone: its text could not be read (another host, or it could not be fetched).')
      continue
    }
    const exception = left.file(address) ?? left.element(element)
    if (exception !== undefined) tellLeft(href, exceptionSentence(exception))
    else known.push({ element, address, href, text, media: element.attribs['media'] ?? '' })
  }
  return known
}
