import { selectOne } from 'css-select'
import type { AnyNode } from 'domhandler'
import { clone, generate, parse, walk, type CssNode, type List, type Rule, type Selector } from 'css-tree'
import { allNodes } from '../document/page-document.ts'

/** Pseudo-classes that depend on nothing but the document's structure; all others may come true later. */
const STRUCTURAL = new Set([
  'root',
  'first-child',
  'last-child',
  'only-child',
  'nth-child',
  'nth-last-child',
  'first-of-type',
  'last-of-type',
  'only-of-type',
  'nth-of-type',
  'nth-last-of-type',
])

/** A selector written in one way, whatever way it was written. */
export const normalSelector = (text: string): string => {
  try {
    return generate(parse(text, { context: 'selectorList' }))
  } catch {
    return text.replaceAll(/\s+/g, ' ').trim()
  }
}

/** The selectors of a rule, each as a text; undefined where they cannot be read. */
export const selectorsOf = (rule: Rule): string[] | undefined => {
  if (rule.prelude.type !== 'SelectorList') return undefined
  return rule.prelude.children.toArray().map((selector) => generate(selector))
}

/** Words of a selector that a script may put into the page: classes, ids, attribute names. */
export const switchableWords = (selector: string): string[] => {
  const found: string[] = []
  const tree = parse(selector, { context: 'selector', onParseError: () => undefined })
  walk(tree, (node) => {
    if (node.type === 'ClassSelector' || node.type === 'IdSelector') found.push(node.name)
    if (node.type === 'AttributeSelector') found.push(node.name.name)
  })
  return found
}

/**
 * A selector without what may come true later (:hover, ::before, :not(…), :checked): what is left must fit for the whole to fit.
 * @returns undefined where nothing can be said
 */
const lasting = (selector: string): string | undefined => {
  let tree: CssNode
  try {
    tree = clone(parse(selector, { context: 'selector' }))
  } catch {
    return undefined
  }
  let unsure = false
  walk(tree, {
    visit: 'Selector',
    enter(node: Selector) {
      const kept: List<CssNode> = node.children.filter((child: CssNode) => {
        if (child.type === 'NestingSelector') unsure = true
        if (child.type === 'PseudoElementSelector') return false
        if (child.type === 'PseudoClassSelector') return STRUCTURAL.has(child.name.toLowerCase())
        return true
      })
      node.children = kept
    },
  })
  if (unsure) return undefined
  const text = generate(tree).trim()
  // With everything taken away after a combinator, anything may stand there.
  return (
    text
      .replaceAll(/([>+~ ]|^)(?=[>+~ ]|$)/g, (combinator) => (combinator === '' ? '*' : `${combinator}*`))
      .replace(/^\*(?=[>+~ ])/, '*') || '*'
  )
}

/** Names that occur in a document: what asks for any other fits nothing, and most selectors of a framework do. */
interface DocumentNames {
  readonly types: ReadonlySet<string>
  readonly classes: ReadonlySet<string>
  readonly ids: ReadonlySet<string>
  /** Answers given already; style sheets of a page ask the same again and again. */
  readonly answers: Map<string, boolean>
}

const namesByDocument = new WeakMap<AnyNode, DocumentNames>()

const namesOf = (document: AnyNode): DocumentNames => {
  const known = namesByDocument.get(document)
  if (known !== undefined) return known
  const types = new Set<string>()
  const classes = new Set<string>()
  const ids = new Set<string>()
  for (const { node } of allNodes(document)) {
    if (!('attribs' in node)) continue
    types.add(node.name.toLowerCase())
    for (const one of (node.attribs['class'] ?? '').split(/\s+/)) classes.add(one)
    if (node.attribs['id'] !== undefined) ids.add(node.attribs['id'])
  }
  const names = { types, classes, ids, answers: new Map<string, boolean>() }
  namesByDocument.set(document, names)
  return names
}

/** Whether all names that a selector asks for occur; nothing is said about how they stand to each other. */
const namesOccur = (selector: string, { types, classes, ids }: DocumentNames): boolean => {
  let occur = true
  walk(parse(selector, { context: 'selector', onParseError: () => undefined }), (node) => {
    if (node.type === 'ClassSelector') occur &&= classes.has(node.name)
    else if (node.type === 'IdSelector') occur &&= ids.has(node.name)
    else if (node.type === 'TypeSelector' && node.name !== '*') occur &&= types.has(node.name.toLowerCase())
  })
  return occur
}

/** Whether anything in a document fits a selector, now or once a state changes. Unreadable ones count as fitting. */
export const mayFit = (selector: string, document: AnyNode): boolean => {
  const names = namesOf(document)
  const known = names.answers.get(selector)
  if (known !== undefined) return known
  const answer = looksFitting(selector, document, names)
  names.answers.set(selector, answer)
  return answer
}

const looksFitting = (selector: string, document: AnyNode, names: DocumentNames): boolean => {
  const text = lasting(selector)
  if (text === undefined) return true
  try {
    // Names with escapes are left to the library.
    if (!text.includes('\\') && !text.includes(':') && !namesOccur(text, names)) return false
    return selectOne(text, document) !== null
  } catch {
    return true
  }
}
