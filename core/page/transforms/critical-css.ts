import { generate, walk, type CssNode } from 'css-tree'
import { compileExceptions } from '../context/exceptions.ts'
import { Work, type PageRemedy } from '../context/rewrite-context.ts'
import { insertLast, replaceElement, sourceOf } from '../document/edits.ts'
import { isStyleLink } from '../document/page-document.ts'
import { readSheet } from '../styles/addresses.ts'
import { normalSelector, selectorsOf } from '../styles/selectors.ts'
import { knownSheets } from './style-sheets.ts'

/** Whole blocks that the initial viewport may need whatever is in it. */
const ALWAYS = /^(font-face|property|layer|namespace|counter-style|keyframes|-webkit-keyframes)$/i
/** Selectors that everything hangs on. */
const BASE = /^(\*|html|body|:root|\*::before|\*::after|::before|::after)$/

/**
 * The part of a style sheet that the initial viewport needs: its rules, with the conditions around them.
 * @param needed selectors in normal form
 */
export const criticalPart = (text: string, needed: ReadonlySet<string>): string => {
  const keepIn = (nodes: readonly CssNode[]): string =>
    nodes
      .map((node) => {
        if (node.type === 'Rule') {
          const selectors = selectorsOf(node)
          const wanted = selectors?.some((one) => BASE.test(one) || needed.has(normalSelector(one))) === true
          return wanted ? generate(node) : ''
        }
        if (node.type !== 'Atrule') return ''
        if (ALWAYS.test(node.name)) return /keyframes$/i.test(node.name) ? '' : generate(node)
        if (node.block === null || !/^(media|supports|layer|container)$/i.test(node.name)) return ''
        const inside = keepIn(node.block.children.toArray())
        const prelude = node.prelude === null ? '' : ` ${generate(node.prelude)}`
        return inside === '' ? '' : `@${node.name}${prelude}{${inside}}`
      })
      .join('')
  const sheet = readSheet(text)
  return sheet.type === 'StyleSheet' ? keepIn(sheet.children.toArray()) : ''
}

const hasImport = (text: string): boolean => {
  let found = false
  walk(readSheet(text), {
    visit: 'Atrule',
    enter: ({ name }) => void (found ||= name.toLowerCase() === 'import'),
  })
  return found
}

/**
 * The rules that the initial viewport needs stand in the page itself; the style sheets move to its end, in their order, where they hold up nothing. Which
 * rules these are was measured in a browser, for this device.
 */
export const inlineCriticalStyles: PageRemedy = (page, context) => {
  const work = new Work('criticalStyles')
  const { mostBytes, exceptions } = context.remedies.criticalStyles
  const where = page.address.pathname
  const leave = (why: string) => {
    work.left(where, why)
    return work.done()
  }
  const { knowledge, policy } = context
  if (knowledge === undefined || knowledge.selectors.length === 0)
    return leave(
      'Left alone until this page, or one of its kind, has been measured on this device: only a browser can tell which rules are needed before scrolling.',
    )
  if (!policy.inlineStyle) return leave('Left alone: the page’s Content-Security-Policy allows no inline styles.')
  const known = knownSheets(page, context, compileExceptions(exceptions), (href, why) => work.left(href, why))
  const order = page.elements.filter((element) => isStyleLink(element) || element.name === 'style')
  const movable = new Map(
    known
      .filter(({ media, element }) => !/^\s*print\b/i.test(media) && element.parent === page.head)
      .map((sheet) => [sheet.element, sheet]),
  )
  // What stays in the head keeps all before it there: rules must keep their order (CSS Cascade 5 §6.1, order of appearance).
  const stays = order.findLastIndex((one) => one.parent === page.head && isStyleLink(one) && !movable.has(one))
  const behind = order.slice(stays + 1)
  const sheets = behind.flatMap((element) => movable.get(element) ?? [])
  if (sheets.some(({ text }) => hasImport(text))) return leave('Left alone: a style sheet imports others.')
  if (sheets.length === 0) return leave('There are no style sheets in the head of this page that could move.')
  const needed = new Set(knowledge.selectors.map(normalSelector))
  const parts = sheets.map(({ text, media }) => {
    const part = criticalPart(text, needed)
    return media.trim() === '' || media.trim() === 'all' || part === '' ? part : `@media ${media}{${part}}`
  })
  const critical = parts.join('')
  if (critical.length > mostBytes)
    return leave(`Left alone: ${critical.length} bytes of rules are needed before scrolling, more than ${mostBytes}.`)
  // A style sheet with this text would end its element early.
  if (/<\/style/i.test(critical)) return leave('Left alone: its rules cannot be written into a page.')
  const style = `<style data-zest="critical-css">${critical}</style>`
  sheets.forEach((sheet, index) =>
    work.change(
      sheet.href,
      'Moved to the end; the rules needed before scrolling are in the page.',
      replaceElement(sheet.element, index === 0 ? style : ''),
      { before: sheet.text.length, after: parts[index]!.length },
    ),
  )
  // Inline styles stay, and come once more at the end, so that they still have the last word over the sheets before them.
  const from = behind.indexOf(sheets[0]!.element)
  for (const element of behind.slice(from)) work.edit(insertLast(page, sourceOf(page, element)))
  return work.done()
}
