import { parse } from 'parse5'
import { attributeOf, htmlNodes, isHtmlElement } from '../formats/html-tree.ts'

/** Places of a page whose values tell visitors apart, and its words. */
export interface PageValues {
  /** Place, as a reader can find it, and its value: hidden fields, meta elements, data attributes, tokens in scripts. */
  readonly places: ReadonlyMap<string, string>
  readonly words: ReadonlySet<string>
}

const SCRIPT_TOKEN =
  /["']?([\w-]*(?:nonce|token|csrf|xsrf|session|user|account|member|email)[\w-]*)["']?\s*[:=]\s*["']([^"'\\]{4,200})["']/gi

/** Text that is read as words: letters, digits, and what holds addresses and tokens together. Shorter ones say nothing about a person. */
const wordsIn = (text: string): string[] => text.match(/[\p{L}\p{N}][\p{L}\p{N}_@.+'-]{3,}/gu) ?? []

/** Values and words of a page. Never throws: whatever a site sends is HTML to the parser. */
export const pageValues = (html: string): PageValues => {
  const places = new Map<string, string>()
  const words = new Set<string>()
  const note = (place: string, value: string | undefined): void => {
    if (value === undefined || value === '') return
    let name = place
    for (let n = 2; places.has(name); n++) name = `${place} (${n})`
    places.set(name, value)
    for (const word of wordsIn(value)) words.add(word)
  }
  for (const { node } of htmlNodes(parse(html))) {
    if ('value' in node && node.nodeName === '#text') for (const word of wordsIn(node.value)) words.add(word)
    if (isHtmlElement(node)) {
      const { tagName } = node
      if (tagName === 'input' && attributeOf(node, 'type')?.toLowerCase() === 'hidden')
        note(`hidden field "${attributeOf(node, 'name') ?? ''}"`, attributeOf(node, 'value'))
      else if (tagName === 'input') note(`field "${attributeOf(node, 'name') ?? ''}"`, attributeOf(node, 'value'))
      if (tagName === 'meta')
        note(
          `meta element "${attributeOf(node, 'name') ?? attributeOf(node, 'property') ?? ''}"`,
          attributeOf(node, 'content'),
        )
      for (const { name, value } of node.attrs)
        if (name.startsWith('data-')) note(`attribute ${name} of <${tagName}>`, value)
      if (tagName === 'script') {
        const text = node.childNodes.map((child) => ('value' in child ? child.value : '')).join('')
        for (const [, name, value] of text.matchAll(SCRIPT_TOKEN)) note(`"${name}" in a script`, value)
      }
    }
  }
  return { places, words }
}
