import { walk } from 'css-tree'
import { compileExceptions } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { applyEdits, removeElement, setAttribute, type Edit } from '../document/edits.ts'
import { isClassicScript, resolved, textOf, type PageDocument } from '../document/page-document.ts'
import { readSheet } from '../styles/addresses.ts'
import { mayFit, selectorsOf, switchableWords } from '../styles/selectors.ts'
import { knownSheets } from './style-sheets.ts'

/** Words that the scripts of a page hold, and beginnings that they put words together from ("icon-" + n). */
export interface ScriptWords {
  readonly words: ReadonlySet<string>
  readonly beginnings: readonly string[]
}

const WORD = /[A-Za-z_-][\w-]*/g
/** Shorter ones would stand for half of all names. */
const SHORTEST_BEGINNING = 4

export const scriptWords = (texts: readonly string[]): ScriptWords => {
  const words = new Set(texts.flatMap((text) => text.match(WORD) ?? []))
  const beginnings = [...words].filter((word) => word.length >= SHORTEST_BEGINNING && /[-_]$/.test(word))
  return { words, beginnings }
}

const knownWords = new WeakMap<object, ScriptWords>()

const wordsOfPage = (page: PageDocument, context: RewriteContext): ScriptWords => {
  const known = knownWords.get(page)
  if (known !== undefined) return known
  const texts = page.elements
    .filter(({ name }) => name === 'script')
    .map((element) => context.shelf.find(resolved(page, element.attribs['src']))?.text ?? textOf(element))
  const made = scriptWords(texts)
  knownWords.set(page, made)
  return made
}

/** A script whose text is not at hand may switch on anything. */
const unreadScript = (page: PageDocument, { shelf }: RewriteContext): string | undefined =>
  page.elements
    .filter((element) => isClassicScript(element) || element.attribs['type'] === 'module')
    .map((element) => ({ src: element.attribs['src'], address: resolved(page, element.attribs['src']) }))
    .find(
      ({ address }) =>
        address !== undefined && address.host === page.address.host && shelf.find(address)?.text === undefined,
    )?.src

/** Answers for a page, by selector: asked once for what the page uses, and once for each sheet. */
const needed = new WeakMap<ScriptWords, Map<string, boolean>>()

/** Everything a rule needs to stay: an element it fits, or a script that may bring one. */
const isNeeded = (selector: string, page: PageDocument, scripts: ScriptWords): boolean => {
  const answers = needed.get(scripts) ?? new Map<string, boolean>()
  needed.set(scripts, answers)
  const known = answers.get(selector)
  if (known !== undefined) return known
  const { words, beginnings } = scripts
  const answer =
    switchableWords(selector).some(
      (word) => words.has(word) || beginnings.some((beginning) => word.startsWith(beginning)),
    ) || mayFit(selector, page.root)
  answers.set(selector, answer)
  return answer
}

/**
 * Leaves out of each style sheet the rules that this page, and the pages of its kind seen so far, have no element for. What scripts may switch on
 * stays: any rule with a class, id or attribute whose name stands in a script of the page.
 */
export const leaveOutUnusedStyles: PageRemedy = (page, context) => {
  const work = new Work('unusedStyles')
  const { keep, exceptions } = context.remedies.unusedStyles
  const unread = unreadScript(page, context)
  if (unread !== undefined) {
    work.left(page.address.pathname, `Left alone: it is not known which rules ${unread} switches on.`)
    return work.done()
  }
  const scripts = wordsOfPage(page, context)
  const tellLeft = (href: string, why: string): void => work.left(href, why)
  for (const sheet of knownSheets(page, context, compileExceptions(exceptions), tellLeft)) {
    const edits: Edit[] = []
    walk(readSheet(sheet.text), {
      visit: 'Rule',
      enter(rule) {
        const inKeyframes = /keyframes$/i.test(this.atrule?.name ?? '')
        const selectors = inKeyframes ? undefined : selectorsOf(rule)
        if (selectors === undefined || rule.loc == null) return
        const needed = selectors.some(
          (selector) =>
            context.alsoUsed.has(selector) ||
            keep.some((part) => selector.includes(part)) ||
            isNeeded(selector, page, scripts),
        )
        if (needed) return
        edits.push({ from: rule.loc.start.offset, to: rule.loc.end.offset, text: '' })
        return this.skip
      },
    })
    const cut = applyEdits(sheet.text, edits)
    if (cut.length > sheet.text.length * 0.95) {
      work.left(sheet.href, 'Stays whole: nearly all of it is used.')
      continue
    }
    if (cut.replaceAll(/\/\*[\s\S]*?\*\//g, '').trim() === '') {
      work.change(sheet.href, 'Removed: this page uses none of its rules.', removeElement(sheet.element), {
        before: sheet.text.length,
        after: 0,
      })
      continue
    }
    const name =
      sheet.address.pathname
        .split('/')
        .at(-1)!
        .replace(/\.css$/, '')
        .replaceAll(/[^\w-]/g, '') || 'styles'
    const path = context.shelf.add(name, 'style', cut, page.address)
    work.change(
      sheet.href,
      `${edits.length} rules that this page does not use are removed.`,
      [...setAttribute(sheet.element, 'href', path), ...withoutDigest(sheet.element)],
      { before: sheet.text.length, after: cut.length },
    )
  }
  return work.done()
}

/** The digest of the whole sheet does not fit what is left of it (Subresource Integrity §3.5). */
const withoutDigest = (element: Parameters<typeof setAttribute>[0]): Edit[] =>
  element.attribs['integrity'] === undefined ? [] : setAttribute(element, 'integrity', '')

/** Selectors of a page's style sheets that it uses; pages of one kind share them, so that their sheets stay the same. */
export const usedSelectors = (page: PageDocument, context: RewriteContext): string[] => {
  const scripts = wordsOfPage(page, context)
  const used: string[] = []
  for (const { text } of knownSheets(page, context, compileExceptions([]), () => undefined))
    walk(readSheet(text), {
      visit: 'Rule',
      enter(rule) {
        const selectors = /keyframes$/i.test(this.atrule?.name ?? '') ? undefined : selectorsOf(rule)
        for (const selector of selectors ?? []) if (isNeeded(selector, page, scripts)) used.push(selector)
      },
    })
  return used
}
