import type { Element } from 'domhandler'
import type { RewriteContext } from '../context/rewrite-context.ts'
import { insertEarly } from '../document/edits.ts'
import { resolved, type PageDocument } from '../document/page-document.ts'

/** Whether the page says how large a picture is, so that which of its widths is taken changes no layout. */
export const saysItsSize = ({ attribs }: Element): boolean =>
  attribs['width'] !== undefined || attribs['height'] !== undefined

/** Whether the rule that keeps pictures in shape whose size we write in may stand in this page; parts of pages have no place for it. */
export const maySizePictures = (page: PageDocument, { policy }: RewriteContext): boolean =>
  policy.inlineStyle && insertEarly(page, ' ').length > 0

/**
 * Whether this element is the one whose picture is put into the page itself: among the widths it is offered in (WHATWG HTML §4.8.4.2.3), one is a data
 * address then, and a browser that chooses this one needs no further round trip. The page's own choice of pictures is left alone.
 */
export const standsInPage = (page: PageDocument, element: Element, context: RewriteContext): boolean => {
  const { inPage, policy, remedies } = context
  if (inPage === undefined || !policy.dataImage || !remedies.images.enabled) return false
  const isIt = (one: Element): boolean =>
    one.name === 'img' && resolved(page, one.attribs['src'])?.href === inPage.address
  if (!isIt(element) || page.elements.find(isIt) !== element) return false
  if (element.attribs['srcset'] !== undefined || (element.parent as Element | null)?.name === 'picture') return false
  return saysItsSize(element) || (remedies.images.dimensions && maySizePictures(page, context))
}
