import type { Element } from 'domhandler'
import { insertBehind, insertInFrontOf, insertLast, type Edit } from '../document/edits.ts'
import { isClassicScript, type PageDocument } from '../document/page-document.ts'

/** Where a script stands in the text of its page. */
const placeOf = ({ sourceCodeLocation }: Element): number => sourceCodeLocation?.startOffset ?? -1

export const standsBefore = (one: Element, other: Element): boolean => placeOf(one) < placeOf(other)

/**
 * Whether a script waits until the page is read by its author's word: `defer`, or a module (WHATWG HTML §4.12.1). These are carried out in the order
 * in which the page names them, after all that are carried out where they stand.
 */
export const waitsAnyway = (element: Element): boolean => {
  const { name, attribs } = element
  if (name !== 'script' || attribs['async'] !== undefined) return false
  const isModule = attribs['type']?.trim().toLowerCase() === 'module'
  return isModule || (isClassicScript(element) && attribs['src'] !== undefined && attribs['defer'] !== undefined)
}

/** The end of a page, as far as scripts go. */
export interface EndOfPage {
  /** Whether nothing but scripts stands between a script and the end: moving it would change nothing. */
  readonly has: (element: Element) => boolean
  /** In front of the scripts that stand there. */
  readonly insert: (text: string) => Edit[]
}

export const endOfPage = (page: PageDocument): EndOfPage => {
  const located = page.elements.filter((element) => placeOf(element) >= 0)
  const last = located.findLast(({ name }) => name !== 'script')
  const there = last === undefined ? located : located.filter((element) => standsBefore(last, element))
  const [first] = there
  const set = new Set(there)
  return {
    has: (element) => set.has(element),
    insert: (text) => (first === undefined ? insertLast(page, text) : insertInFrontOf(first, text)),
  }
}

/** @returns an insertion behind the last of some scripts, at the end of the page when there is none */
export const behindLast = (scripts: readonly Element[], end: EndOfPage): EndOfPage['insert'] => {
  const last = scripts.at(-1)
  return last === undefined ? end.insert : (text) => insertBehind(last, text)
}
