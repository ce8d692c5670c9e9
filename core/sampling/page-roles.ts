import { parse } from 'parse5'
import { attributeOf, htmlElements, htmlNodes, type HtmlElement } from '../formats/html-tree.ts'

/** What a page is for, as far as what it is built of tells. */
export type PageRole = 'home' | 'list' | 'item' | 'page' | 'search' | 'feed'

/** Types of schema.org by what they are for. */
const TYPES: Readonly<Record<'list' | 'item' | 'search', RegExp>> = {
  search: /^searchresultspage$/,
  list: /^(?:collectionpage|itemlist|blog|offercatalog|imagegallery)$/,
  item: /^(?:\w*article|blogposting|product|recipe|event|review|jobposting|videoobject|course|book|movie)$/,
}
/** Words in the classes of a body, as content systems commonly write them (common practice). */
const WORDS: Readonly<Record<'list' | 'item' | 'search', RegExp>> = {
  search: /^search(?:-results)?$/,
  list: /^(?:archive|category|tag|list|listing|index|collection|author)$/,
  item: /^(?:single|post|article|product|item|story|entry|detail)$/,
}
/** So many blocks of one kind, each with a link to a page of its own, make a list. */
const LEAST_LISTED = 4
/** Elements of a block that are looked at. */
const MOST_IN_BLOCK = 40
/** Nodes whose text is counted; a longer page counts as if it ended there. */
const MOST_FOR_TEXT = 3000
/** The same for one block, and elements of a page that are looked at: whoever nests a page must not make it long to read. */
const MOST_FOR_BLOCK = 100
const MOST_ELEMENTS = 3000
/** Share of the text of a list that its blocks have. */
const LEAST_SHARE = 0.5
/** Elements that repeat in lists. */
const BLOCKS = new Set(['li', 'article', 'section', 'tr', 'div', 'a'])

const schemaTypes = (elements: readonly HtmlElement[]): string[] =>
  elements.flatMap((element) => {
    const own = (attributeOf(element, 'itemtype') ?? '')
      .split(/\s+/)
      .map((type) => type.slice(type.lastIndexOf('/') + 1))
    if (element.tagName !== 'script' || attributeOf(element, 'type') !== 'application/ld+json') return own
    const text = element.childNodes.map((child) => ('value' in child ? child.value : '')).join('')
    return [...text.matchAll(/"@type"\s*:\s*"([\w-]+)"/g)].map(([, type = '']) => type)
  })

/** The first elements of a part of a page, itself included. */
const firstElements = (element: HtmlElement, most: number): HtmlElement[] => {
  const found: HtmlElement[] = []
  for (const { node } of htmlElements(element)) {
    found.push(node)
    if (found.length === most) break
  }
  return found
}

/** Characters of text in an element, up to a bound. */
const textLength = (element: HtmlElement, most: number): number => {
  let length = 0
  let looked = 0
  for (const { node } of htmlNodes(element)) {
    if ('value' in node && node.nodeName === '#text') length += node.value.trim().length
    if (++looked === most) break
  }
  return length
}

/** Whether most of what a page says stands in blocks that are built alike and each link to a page: what is related at the foot of an article does not. */
const isMadeOfBlocks = (main: HtmlElement): boolean => {
  const all = textLength(main, MOST_FOR_TEXT)
  for (const parent of firstElements(main, MOST_ELEMENTS)) {
    const alike = new Map<string, { links: Set<string>; text: number }>()
    for (const child of parent.childNodes) {
      if (!('tagName' in child) || !BLOCKS.has(child.tagName)) continue
      const block = child
      const inside = firstElements(block, MOST_IN_BLOCK)
      const link = inside.find(({ tagName, attrs }) => tagName === 'a' && attrs.length > 0)
      // A menu has links only; what lists pages says something of each.
      const says = inside.some(({ tagName }) => /^(?:h[1-6]|p|img|time|td)$/.test(tagName))
      if (link === undefined || !says) continue
      const look = `${block.tagName}.${(attributeOf(block, 'class') ?? '').replaceAll(/\S*\d\S*/g, '').trim()}`
      const group = alike.get(look) ?? { links: new Set<string>(), text: 0 }
      group.links.add(attributeOf(link, 'href') ?? '')
      group.text += textLength(block, MOST_FOR_BLOCK)
      alike.set(look, group)
    }
    for (const { links, text } of alike.values())
      if (links.size >= LEAST_LISTED && text >= all * LEAST_SHARE) return true
  }
  return false
}

/** What a page is for. What it says of itself goes first: types of schema.org, then the classes of its body; then what it is built of. */
export const roleOf = (html: string, path: string): PageRole => {
  if (path === '/') return 'home'
  const elements = [...htmlElements(parse(html))].map(({ node }) => node)
  const body = elements.find(({ tagName }) => tagName === 'body')
  // A page of frames has none.
  if (body === undefined) return 'page'
  const classes = (attributeOf(body, 'class') ?? '').toLowerCase().split(/\s+/)
  const types = schemaTypes(elements).map((type) => type.toLowerCase())
  const kind = elements.find((one) => one.tagName === 'meta' && attributeOf(one, 'property') === 'og:type')
  if (kind !== undefined) types.push((attributeOf(kind, 'content') ?? '').toLowerCase())
  const main = elements.find(({ tagName }) => tagName === 'main') ?? body
  if (classes.some((word) => WORDS.search.test(word)) || types.some((type) => TYPES.search.test(type))) return 'search'
  // A list of articles has their types too; it has several.
  const items = types.filter((type) => TYPES.item.test(type)).length
  if (types.some((type) => TYPES.list.test(type)) || items >= LEAST_LISTED) return 'list'
  if (classes.some((word) => WORDS.list.test(word))) return 'list'
  if (items > 0 || classes.some((word) => WORDS.item.test(word))) return 'item'
  return isMadeOfBlocks(main) ? 'list' : 'page'
}

/** Where a site can be searched: the address of a first search, with a word of the page; undefined without a form for it. */
export const searchAddress = (html: string, address: string): string | undefined => {
  const tree = parse(html)
  const { hostname } = new URL(address)
  for (const { node: form } of htmlElements(tree)) {
    if (form.tagName !== 'form' || (attributeOf(form, 'method') ?? 'get').toLowerCase() !== 'get') continue
    const fields = [...htmlElements(form)].map(({ node }) => node).filter(({ tagName }) => tagName === 'input')
    const field = fields.find((input) =>
      /^(?:s|q|query|search|keywords?|term)$/i.test(attributeOf(input, 'name') ?? ''),
    )
    const action = attributeOf(form, 'action') ?? ''
    if (field === undefined || !URL.canParse(action, address)) continue
    const url = new URL(action, address)
    if (url.hostname !== hostname) continue
    const title = [...htmlElements(tree)].find(({ node }) => node.tagName === 'title')?.node
    const words = (title?.childNodes ?? []).map((child) => ('value' in child ? child.value : '')).join(' ')
    const word = /\p{L}{4,}/u.exec(words)?.[0] ?? 'news'
    const name = attributeOf(field, 'name') ?? ''
    return `${url.pathname}?${new URLSearchParams({ [name]: word.toLowerCase() }).toString()}`
  }
  return undefined
}
