import type { DefaultTreeAdapterTypes } from 'parse5'

export type HtmlNode = DefaultTreeAdapterTypes.Node
export type HtmlElement = DefaultTreeAdapterTypes.Element

/** A node and how deep it stands below the root, which is at 0. */
export interface NodeAt<T> {
  readonly node: T
  readonly depth: number
}

/**
 * A tree in the order of the document, the root first. It does not call itself: HTML of strangers nests as deep as it likes, with tags that nobody
 * closes by many thousands, and the call stack does not.
 */
export function* inDocumentOrder<T>(
  root: T,
  childrenOf: (node: T) => readonly T[],
): Generator<NodeAt<T>, void, undefined> {
  const ahead: NodeAt<T>[] = [{ node: root, depth: 0 }]
  for (let next = ahead.pop(); next !== undefined; next = ahead.pop()) {
    yield next
    const children = childrenOf(next.node)
    const depth = next.depth + 1
    for (const node of children.toReversed()) ahead.push({ node, depth })
  }
}

/** Nodes of a page or of a part of it, in order; what templates hold is inert and left out. */
export const htmlNodes = (root: HtmlNode): Iterable<NodeAt<HtmlNode>> =>
  inDocumentOrder(root, (node) => ('childNodes' in node ? node.childNodes : []))

export const isHtmlElement = (node: HtmlNode): node is HtmlElement => 'tagName' in node

/** Elements of a page or of a part of it, in order. */
export function* htmlElements(root: HtmlNode): Generator<NodeAt<HtmlElement>, void, undefined> {
  for (const { node, depth } of htmlNodes(root)) if (isHtmlElement(node)) yield { node, depth }
}

/** Value of an attribute; undefined when the element does not have it. */
export const attributeOf = (element: HtmlElement, name: string): string | undefined =>
  element.attrs.find((one) => one.name === name)?.value
