import type { AnyNode, Document, Element } from 'domhandler'
import { parse } from 'parse5'
import { adapter } from 'parse5-htmlparser2-tree-adapter'
import { inDocumentOrder } from '../../formats/html-tree.ts'

/** A page as it was sent, with its parse tree; nodes know where in the text they stand (WHATWG HTML §13.2). */
export interface PageDocument {
  readonly html: string
  readonly root: Document
  /** Address of the page. */
  readonly address: URL
  /** What relative addresses are resolved against (WHATWG HTML, "document base URL"). */
  readonly base: URL
  /** Every element in document order; what templates hold is inert and left out. */
  readonly elements: readonly Element[]
  readonly head: Element | undefined
  readonly body: Element | undefined
}

const isElement = (node: { type: string }): node is Element =>
  node.type === 'tag' || node.type === 'script' || node.type === 'style'

/** The parser takes some tags for others (`<image>` for `<img>`, WHATWG HTML §13.2.6.4.7): such elements are not touched. */
const isAsWritten = (html: string, { name, sourceCodeLocation }: Element): boolean => {
  if (sourceCodeLocation == null) return true
  const from = sourceCodeLocation.startOffset + 1
  return html.slice(from, from + name.length).toLowerCase() === name && !/\w/.test(html[from + name.length] ?? '')
}

const childrenOf = (node: AnyNode): readonly AnyNode[] => ('children' in node ? node.children : [])

/** Every node in document order, with what templates hold: scripts may yet put it into the page. */
export const allNodes = (root: AnyNode): Iterable<{ readonly node: AnyNode }> => inDocumentOrder(root, childrenOf)

/** Nodes of a page in document order, without what templates hold: it can neither be seen nor carried out. */
const livingNodes = (root: AnyNode): Iterable<{ readonly node: AnyNode }> =>
  inDocumentOrder(root, (node) => ('name' in node && node.name === 'template' ? [] : childrenOf(node)))

const baseOf = (elements: readonly Element[], address: URL): URL => {
  const href = elements.find(({ name, attribs }) => name === 'base' && attribs['href'] !== undefined)
  return href !== undefined && URL.canParse(href.attribs['href']!, address)
    ? new URL(href.attribs['href']!, address)
    : address
}

/** The parse tree alone, without where its nodes stand in the text: half the work. */
export const parseTree = (html: string): Document => parse(html, { treeAdapter: adapter })

/** Parse a page as a browser with scripting does. Any text can be parsed. */
export const readPage = (html: string, address: URL): PageDocument => {
  const root = parse(html, { treeAdapter: adapter, sourceCodeLocationInfo: true })
  const elements: Element[] = []
  for (const { node } of livingNodes(root)) if (isElement(node) && isAsWritten(html, node)) elements.push(node)
  return {
    html,
    root,
    address,
    base: baseOf(elements, address),
    elements,
    head: elements.find(({ name }) => name === 'head'),
    body: elements.find(({ name }) => name === 'body'),
  }
}

/** The absolute address of what an attribute names; undefined for data, fragments and what is no address of the web. */
export const resolved = (page: PageDocument, value: string | undefined): URL | undefined => {
  const trimmed = value?.trim() ?? ''
  if (trimmed === '' || trimmed.startsWith('#') || !URL.canParse(trimmed, page.base)) return undefined
  const url = new URL(trimmed, page.base)
  url.hash = ''
  return /^https?:$/.test(url.protocol) ? url : undefined
}

/** Text of an element that holds nothing but text: script, style. */
export const textOf = (element: Element): string =>
  element.children.map((child) => ('data' in child ? (child as { data: string }).data : '')).join('')

/** Words of an attribute that holds a list, in lower case: rel, class. */
export const words = (value: string | undefined): string[] =>
  (value ?? '')
    .toLowerCase()
    .split(/[\t\n\f\r ]+/)
    .filter((word) => word !== '')

/** An element as it begins, for people to recognise. */
export const shown = (page: PageDocument, element: Element): string => {
  const { startOffset, endOffset } = element.sourceCodeLocation?.startTag ??
    element.sourceCodeLocation ?? { startOffset: 0, endOffset: 0 }
  const tag = page.html.slice(startOffset, endOffset).replaceAll(/\s+/g, ' ')
  return tag.length > 140 ? `${tag.slice(0, 139)}…` : tag
}

/** JavaScript that the browser carries out as a classic script (WHATWG HTML §4.12.1): no module, no data block. */
export const isClassicScript = ({ name, attribs }: Element): boolean =>
  name === 'script' &&
  (attribs['type'] === undefined ||
    attribs['type'].trim() === '' ||
    /^(text|application)\/(x-)?(java|ecma)script$/i.test(attribs['type'].trim())) &&
  attribs['nomodule'] === undefined

/** A style sheet that holds up the first paint. */
export const isStyleLink = ({ name, attribs }: Element): boolean =>
  name === 'link' &&
  words(attribs['rel']).includes('stylesheet') &&
  !words(attribs['rel']).includes('alternate') &&
  attribs['disabled'] === undefined &&
  attribs['href'] !== undefined
