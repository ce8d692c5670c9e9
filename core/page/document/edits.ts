import type { Element } from 'domhandler'
import type { PageDocument } from './page-document.ts'

/** A stretch of a text and what is put in its place. All that is not named stays byte for byte as it came. */
export interface Edit {
  readonly from: number
  readonly to: number
  readonly text: string
}

/**
 * Carry out edits. Where two overlap, the one that begins first, or among those the longer one, stands: what is inside a removed element is gone with
 * it. Insertions at one place come in the order they were made.
 */
export const applyEdits = (text: string, edits: readonly Edit[]): string => {
  if (edits.length === 0) return text
  const ordered = edits
    .map((edit, order) => ({ ...edit, order }))
    .sort(
      (a, b) =>
        a.from - b.from ||
        Number(a.to > a.from) - Number(b.to > b.from) ||
        (a.to === b.to ? a.order - b.order : b.to - a.to),
    )
  const parts: string[] = []
  let at = 0
  for (const { from, to, text: put } of ordered) {
    if (from < at) continue
    parts.push(text.slice(at, from), put)
    at = to
  }
  parts.push(text.slice(at))
  return parts.join('')
}

/** A value as it may stand between double quotes (WHATWG HTML §13.3, escaping a string). */
export const escapedValue = (value: string): string => value.replaceAll('&', '&amp;').replaceAll('"', '&quot;')

const attributesOf = (element: Element): Record<string, { startOffset: number; endOffset: number }> =>
  (
    element.sourceCodeLocation as {
      attrs?: Record<string, { startOffset: number; endOffset: number }>
    } | null
  )?.attrs ?? {}

const tagOf = (element: Element): { startOffset: number; endOffset: number } | undefined =>
  element.sourceCodeLocation?.startTag ?? element.sourceCodeLocation ?? undefined

/** Give an element an attribute. Nothing for elements that the text does not hold (the parser made them up). */
export const setAttribute = (element: Element, name: string, value: string | undefined): Edit[] => {
  const have = attributesOf(element)[name]
  const written = value === undefined ? name : `${name}="${escapedValue(value)}"`
  if (have !== undefined) return [{ from: have.startOffset, to: have.endOffset, text: written }]
  const tag = tagOf(element)
  if (tag === undefined) return []
  // Behind the tag's name: before its end stands perhaps a "/" that belongs to an unquoted value.
  const at = tag.startOffset + 1 + element.name.length
  return [{ from: at, to: at, text: ` ${written}` }]
}

export const removeAttribute = (element: Element, name: string): Edit[] => {
  const have = attributesOf(element)[name]
  if (have === undefined) return []
  // A space stays where one is needed to keep the neighbours apart; inside a tag one more does no harm.
  return [{ from: have.startOffset, to: have.endOffset, text: '' }]
}

export const removeElement = (element: Element): Edit[] => {
  const where = element.sourceCodeLocation
  return where == null ? [] : [{ from: where.startOffset, to: where.endOffset, text: '' }]
}

export const replaceElement = (element: Element, text: string): Edit[] =>
  removeElement(element).map((edit) => ({ ...edit, text }))

/** Put other text into an element that holds text only. */
export const replaceText = (element: Element, text: string): Edit[] => {
  const where = element.sourceCodeLocation
  if (where?.startTag == null || where.endTag == null) return []
  return [{ from: where.startTag.endOffset, to: where.endTag.startOffset, text }]
}

const insertAt = (at: number, text: string): Edit => ({ from: at, to: at, text })

/** The source of an element, from its start tag to its end tag. */
export const sourceOf = (page: PageDocument, element: Element): string => {
  const where = element.sourceCodeLocation
  return where == null ? '' : page.html.slice(where.startOffset, where.endOffset)
}

/** Elements that must stay before all others: what they say is about what follows. */
const isFirst = ({ name, attribs }: Element): boolean =>
  name === 'base' ||
  (name === 'meta' &&
    (attribs['charset'] !== undefined ||
      attribs['http-equiv'] !== undefined ||
      // Before it a phone takes the window for 980 pixels wide (common practice), and a picture asked for by its sizes comes in the wrong width.
      attribs['name']?.toLowerCase() === 'viewport'))

/**
 * Insert early into the head: behind what declares encoding, base, policy and the width of the window, before anything that is fetched.
 * @returns nothing for pages without any head in the text and nothing in front of which it could go
 */
export const insertEarly = (page: PageDocument, text: string): Edit[] => {
  const inHead = (page.head?.children ?? []).filter(
    (child): child is Element => child.type !== 'text' && 'attribs' in child,
  )
  const last = inHead.filter(isFirst).at(-1)?.sourceCodeLocation
  if (last != null) return [insertAt(last.endOffset, text)]
  const start = page.head?.sourceCodeLocation?.startTag
  if (start != null) return [insertAt(start.endOffset, text)]
  const first = inHead.find(({ sourceCodeLocation }) => sourceCodeLocation != null)?.sourceCodeLocation
  return first == null ? [] : [insertAt(first.startOffset, text)]
}

/** Insert where an element begins, in front of it. Nothing for elements that the text does not hold. */
export const insertInFrontOf = ({ sourceCodeLocation }: Element, text: string): Edit[] =>
  sourceCodeLocation == null ? [] : [insertAt(sourceCodeLocation.startOffset, text)]

/** Insert where an element ends, behind it. */
export const insertBehind = ({ sourceCodeLocation }: Element, text: string): Edit[] =>
  sourceCodeLocation == null ? [] : [insertAt(sourceCodeLocation.endOffset, text)]

/** Insert as the last thing of the page. */
export const insertLast = (page: PageDocument, text: string): Edit[] => {
  const end = page.body?.sourceCodeLocation?.endTag
  // Without an end tag, what comes at the end of the text still belongs to the body (WHATWG HTML §13.2.6.4.22).
  return [insertAt(end?.startOffset ?? page.html.length, text)]
}
