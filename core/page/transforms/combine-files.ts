import type { Element } from 'domhandler'
import { compileExceptions, exceptionSentence } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { removeElement, replaceElement } from '../document/edits.ts'
import { isStrict } from '../document/strict-script.ts'
import { isClassicScript, isStyleLink, resolved, type PageDocument } from '../document/page-document.ts'

/** A file of the page that may be put together with its neighbours. */
interface Part {
  readonly element: Element
  readonly item: string
  readonly text: string
  /** Only parts that are alike in this go together. */
  readonly manner: string
}

/** Why a file stays by itself, or the part it makes. */
const partOf = (page: PageDocument, element: Element, context: RewriteContext): Part | string => {
  const attribute = element.name === 'link' ? 'href' : 'src'
  const item = element.attribs[attribute] ?? ''
  const address = resolved(page, item)
  const left = compileExceptions(context.remedies.combine.exceptions)
  const exception = left.file(address) ?? left.element(element)
  if (exception !== undefined) return exceptionSentence(exception)
  if (address?.host !== page.address.host) return 'Stays: it comes from another host.'
  const text = context.shelf.find(address)?.text
  if (text === undefined) return 'Stays: its text could not be read.'
  if (element.attribs['integrity'] !== undefined || element.attribs['nonce'] !== undefined)
    return 'Stays: it is allowed by its digest or nonce.'
  if (element.name === 'link') {
    // Rules of CSS Cascade 5 §2: an import counts only before everything else.
    if (/@import\b/i.test(text)) return 'Stays: it imports other style sheets, which must come first.'
    return { element, item, text, manner: `${element.attribs['media'] ?? 'all'}` }
  }
  if (/\bdocument\.currentScript\b|import\.meta/.test(text)) return 'Stays: it asks which file it is.'
  // A strict script makes all that is put behind it strict.
  if (isStrict(text)) return 'Stays: it runs in strict mode and would make the others strict.'
  const { attribs } = element
  return {
    element,
    item,
    text,
    manner: attribs['defer'] !== undefined ? 'defer' : attribs['async'] !== undefined ? 'async' : 'at once',
  }
}

/** Neighbours in the order of the page; anything else that is carried out or styles in between ends a run. */
const runs = (page: PageDocument, of: 'link' | 'script', context: RewriteContext, work: Work): Part[][] => {
  const all: Part[][] = []
  let run: Part[] = []
  const end = (): void => {
    all.push(run)
    run = []
  }
  const sorts = (element: Element): boolean =>
    of === 'link' ? isStyleLink(element) || element.name === 'style' : element.name === 'script'
  for (const element of page.elements.filter(sorts)) {
    const named =
      of === 'link' ? isStyleLink(element) : isClassicScript(element) && element.attribs['src'] !== undefined
    const part = named ? partOf(page, element, context) : undefined
    if (typeof part === 'string') work.left(element.attribs['src'] ?? element.attribs['href'] ?? '', part)
    if (part === undefined || typeof part === 'string') end()
    else {
      if (run[0] !== undefined && run[0].manner !== part.manner) end()
      run.push(part)
    }
  }
  end()
  return all.filter(({ length }) => length > 1)
}

/** One failing script must not keep the others from running, and a missing semicolon must not join two statements. */
const joined = (parts: readonly Part[], of: 'link' | 'script'): string =>
  parts.map(({ text }) => (of === 'link' ? text : `${text.trimEnd()}\n;`)).join('\n')

/** Puts style sheets, and scripts, that follow each other into one file, in their order. */
export const combineFiles: PageRemedy = (page, context) => {
  const work = new Work('combine')
  const { styles, scripts, evenMultiplexed } = context.remedies.combine
  if (context.multiplexed && !evenMultiplexed) {
    work.left(
      page.address.pathname,
      'Nothing is combined for visitors who use HTTP/2: many files cost no more than one there, and one change would make the whole file load again.',
    )
    return work.done()
  }
  for (const of of ['link', 'script'] as const) {
    if (!(of === 'link' ? styles : scripts)) continue
    for (const run of runs(page, of, context, work)) {
      const kind = of === 'link' ? 'style' : 'script'
      const text = joined(run, of)
      const path = context.shelf.add(`together-${kind}s`, kind, text, page.address)
      const manner = run[0]?.manner ?? 'all'
      const tag =
        of === 'link'
          ? `<link rel="stylesheet"${manner === 'all' ? '' : ` media="${manner.replaceAll('"', '&quot;')}"`} href="${path}">`
          : `<script${manner === 'at once' ? '' : ` ${manner}`} src="${path}"></script>`
      // Scripts go where the last one stood, so that none runs before what stands between; styles where the first one stood would be the same.
      const keeper = run.at(-1)
      for (const part of run)
        work.change(
          part.item,
          `Combined with ${run.length - 1} other${run.length === 2 ? '' : 's'}.`,
          part === keeper ? replaceElement(part.element, tag) : removeElement(part.element),
          { before: part.text.length },
        )
    }
  }
  return work.done()
}
