import type { Element } from 'domhandler'
import { compileExceptions, exceptionSentence, fileMatcher } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { escapedValue, insertLast, removeAttribute, replaceElement, setAttribute, sourceOf } from '../document/edits.ts'
import { behindLast, endOfPage, standsBefore, waitsAnyway, type EndOfPage } from './script-places.ts'
import { isClassicScript, resolved, shown, textOf, words, type PageDocument } from '../document/page-document.ts'

/** A script that is carried out where it stands, and what may be done with it. */
interface Standing {
  readonly element: Element
  readonly address: URL | undefined
  readonly item: string
  /** Why it must stay; undefined: it may wait. */
  readonly stays: string | undefined
}

const WRITES = /\bdocument\s*\.\s*write(ln)?\s*\(|\bdocument\s*\[\s*['"]write|\bdocument\.currentScript\b/

/** Scripts that already wait, or that may come at any time. */
const waits = ({ attribs }: Element): boolean => attribs['async'] !== undefined || attribs['defer'] !== undefined

const staysBecause = (page: PageDocument, element: Element, context: RewriteContext): string | undefined => {
  const exceptions = compileExceptions(context.remedies.scriptOrder.exceptions)
  const address = resolved(page, element.attribs['src'])
  const exception = exceptions.file(address) ?? exceptions.element(element)
  if (exception !== undefined) return exceptionSentence(exception)
  const text = address === undefined ? textOf(element) : context.shelf.find(address)?.text
  if (text !== undefined && WRITES.test(text))
    return 'Stays: it writes into the page while the page is read (document.write).'
  if (address === undefined && element.attribs['src'] !== undefined) return 'Stays: its address cannot be read.'
  // An inline script waits in the form of a data address, which a policy may forbid; a nonce speaks for one on inline code only.
  if (address === undefined && !context.policy.dataScript)
    return 'Stays: the page’s Content-Security-Policy does not allow inline code to be deferred.'
  return undefined
}

const standingScripts = (page: PageDocument, context: RewriteContext): Standing[] =>
  page.elements
    .filter((element) => isClassicScript(element) && !(element.attribs['src'] !== undefined && waits(element)))
    .map((element) => ({
      element,
      address: resolved(page, element.attribs['src']),
      item: element.attribs['src'] ?? shown(page, element),
      stays: staysBecause(page, element, context),
    }))

/** Inline code as a file that can wait: `defer` has no effect on inline scripts (WHATWG HTML §4.12.1). */
const asWaiting = (page: PageDocument, element: Element): string => {
  const attributes = Object.entries(element.attribs)
    .filter(([name]) => name !== 'type' && name !== 'defer' && name !== 'async')
    .map(([name, value]) => ` ${name}="${escapedValue(value)}"`)
    .join('')
  return `<script${attributes} defer src="data:text/javascript;charset=utf-8,${escapedValue(encodeURIComponent(textOf(element)))}"></script>`
}

/** Loads what waits for the first touch, in order; also when nothing is touched but the page is left. Kept short: it stands in every page. */
export const FIRST_TOUCH_LOADER =
  "(function(d,w){var e=['pointerdown','keydown','scroll','touchstart','wheel'],n=0;function g(){if(n++)return;e.forEach(function(t){w.removeEventListener(t,g,!0)});d.querySelectorAll('script[data-zest-src]').forEach(function(o){var s=d.createElement('script');for(var i=0;i<o.attributes.length;i++){var a=o.attributes[i];if(a.name!='type'&&a.name!='data-zest-src')s.setAttribute(a.name,a.value)}s.async=!1;s.src=o.getAttribute('data-zest-src');o.parentNode.replaceChild(s,o)})}e.forEach(function(t){w.addEventListener(t,g,{capture:!0,passive:!0})})})(document,window)"
const WAITING_TYPE = 'text/zest-later'

/** Scripts listed by the owner as needed by nobody: out of the order altogether. */
const takeOut = (page: PageDocument, context: RewriteContext, work: Work): Set<Element> => {
  const { async, firstTouch, exceptions } = context.remedies.scriptOrder
  const isAsync = fileMatcher(async)
  const isLater = fileMatcher(firstTouch)
  const left = compileExceptions(exceptions)
  const taken = new Set<Element>()
  let touching = false
  for (const element of page.elements) {
    const address = resolved(page, element.attribs['src'])
    if (element.name !== 'script' || address === undefined) continue
    if (left.file(address) !== undefined || left.element(element) !== undefined) continue
    const item = element.attribs['src'] ?? ''
    if (isLater(address)) {
      taken.add(element)
      if (!context.policy.inlineScript) {
        work.left(
          item,
          'Cannot wait for the first interaction: the page’s Content-Security-Policy allows no inline loader.',
        )
        continue
      }
      touching = true
      work.change(item, 'Waits for the first interaction.', [
        ...setAttribute(element, 'type', WAITING_TYPE),
        ...setAttribute(element, 'data-zest-src', item),
        ...removeAttribute(element, 'src'),
      ])
    } else if (isAsync(address) && isClassicScript(element)) {
      taken.add(element)
      if (element.attribs['async'] === undefined)
        work.change(item, 'Runs as soon as it loads (async).', [
          ...setAttribute(element, 'async', undefined),
          ...removeAttribute(element, 'defer'),
        ])
    }
  }
  if (touching) work.edit(insertLast(page, `<script>${FIRST_TOUCH_LOADER}</script>`))
  return taken
}

/** Scripts that wait already, by their author's word. */
const waitingScripts = (page: PageDocument, context: RewriteContext): Standing[] => {
  const exceptions = compileExceptions(context.remedies.scriptOrder.exceptions)
  return page.elements.filter(waitsAnyway).map((element) => {
    const address = resolved(page, element.attribs['src'])
    const exception = exceptions.file(address) ?? exceptions.element(element)
    const text = address === undefined ? undefined : context.shelf.find(address)?.text
    const stays =
      exception !== undefined
        ? exceptionSentence(exception)
        : WRITES.test(text ?? '')
          ? 'It reads its own position in the page.'
          : undefined
    return { element, address, item: element.attribs['src'] ?? shown(page, element), stays }
  })
}

/**
 * The scripts that may wait. One that must stay where it is keeps all those before it in their place too, since it may need them; inline code in front of the
 * first file needs no file: it may stay, and what it sets up is there early.
 */
const thoseThatMayWait = (standing: readonly Standing[], work: Work): Standing[] => {
  const lastStaying = standing.findLastIndex(({ stays }) => stays !== undefined)
  standing
    .slice(0, lastStaying + 1)
    .forEach(({ item, stays }) =>
      work.left(
        item,
        stays ?? `Stays: a script after it that must stay may need it (${standing[lastStaying]?.item ?? ''}).`,
      ),
    )
  const rest = standing.slice(lastStaying + 1)
  const firstFile = rest.findIndex(({ address }) => address !== undefined)
  return firstFile === -1 ? [] : rest.slice(firstFile)
}

/** Moved to the end as they are, in front of those that stand there already. */
const moveToEnd = (page: PageDocument, scripts: readonly Standing[], end: EndOfPage, work: Work): void => {
  for (const { element, item } of scripts.filter((one) => !end.has(one.element)))
    work.change(item, 'Moved to the end of the page.', [
      ...replaceElement(element, preloadOf(page, element)),
      ...end.insert(sourceOf(page, element)),
    ])
}

const inPlace = (page: PageDocument, { element, address, item }: Standing, work: Work): void =>
  address === undefined
    ? work.change(
        item,
        'Waits with the scripts before it (deferred).',
        replaceElement(element, asWaiting(page, element)),
      )
    : work.change(item, 'Deferred: runs once the page has been read.', setAttribute(element, 'defer', undefined))

/**
 * Deferred where they stand, or besides named at the end of the page, so that nothing of the initial viewport waits for their requests. What waits by
 * its author's word ran after all of them, and still does: it is moved behind them where it stands before.
 */
const defer = (
  page: PageDocument,
  scripts: readonly Standing[],
  waiting: readonly Standing[],
  { end, late }: { end: EndOfPage; late: boolean },
  work: Work,
): void => {
  const moves = ({ element }: Standing): boolean => late && !end.has(element)
  for (const script of scripts) {
    if (!moves(script)) inPlace(page, script, work)
    else
      work.change(script.item, 'Deferred, at the end of the page.', [
        ...replaceElement(script.element, ''),
        ...end.insert(
          script.address === undefined
            ? asWaiting(page, script.element)
            : sourceOf(page, script.element).replace(/^<script/i, '$& defer'),
        ),
      ])
  }
  const staying = scripts.filter((one) => !moves(one)).map(({ element }) => element)
  const insert = behindLast(staying, end)
  const last = staying.at(-1)
  for (const { element, item } of waiting) {
    const ranAfter = last !== undefined && standsBefore(element, last)
    if (!ranAfter && !(late && !end.has(element))) continue
    const sentence = late
      ? 'Moved to the end of the page: it runs after the page anyway.'
      : 'Moved after scripts that are now deferred: it ran after them.'
    work.change(item, sentence, [...replaceElement(element, ''), ...insert(sourceOf(page, element))])
  }
}

/** Scripts that hold up the page wait: deferred, or moved to its end. The order in which scripts are carried out never changes. */
export const orderScripts: PageRemedy = (page, context) => {
  const work = new Work('scriptOrder')
  const { manner } = context.remedies.scriptOrder
  const taken = takeOut(page, context, work)
  const standing = standingScripts(page, context).filter(({ element }) => !taken.has(element))
  const end = endOfPage(page)
  if (manner === 'end') {
    moveToEnd(page, thoseThatMayWait(standing, work), end, work)
    return work.done()
  }
  const waiting = waitingScripts(page, context).filter(({ element }) => !taken.has(element))
  const held = waiting.filter(({ stays }) => stays !== undefined)
  const [first] = held
  const inOrder = standing.map((script): Standing => {
    if (script.stays !== undefined || first === undefined || standsBefore(script.element, first.element)) return script
    return {
      ...script,
      stays: `Stays: a script that it must run after cannot be moved (${first.item}).`,
    }
  })
  // Nothing may be moved past one that waits and cannot be moved.
  const late = manner === 'late' && held.every(({ element }) => end.has(element))
  const movable = waiting.filter(({ stays }) => stays === undefined)
  defer(page, thoseThatMayWait(inOrder, work), movable, { end, late }, work)
  return work.done()
}

/** A file that is carried out at the end is asked for as early as before. */
const preloadOf = (page: PageDocument, { attribs }: Element): string => {
  const address = resolved(page, attribs['src'])
  if (address === undefined) return ''
  const preloaded = page.elements.some(
    (one) =>
      one.name === 'link' &&
      words(one.attribs['rel']).includes('preload') &&
      resolved(page, one.attribs['href'])?.href === address.href,
  )
  const crossorigin =
    attribs['crossorigin'] === undefined ? '' : ` crossorigin="${escapedValue(attribs['crossorigin'])}"`
  const integrity = attribs['integrity'] === undefined ? '' : ` integrity="${escapedValue(attribs['integrity'])}"`
  return preloaded
    ? ''
    : `<link rel="preload" as="script" href="${escapedValue(attribs['src'] ?? '')}"${crossorigin}${integrity}>`
}
