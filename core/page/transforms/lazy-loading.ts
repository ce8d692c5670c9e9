import type { Element } from 'domhandler'
import { compileExceptions, exceptionSentence } from '../context/exceptions.ts'
import { Work, type PageRemedy, type RewriteContext } from '../context/rewrite-context.ts'
import { insertLast, removeAttribute, setAttribute } from '../document/edits.ts'
import { resolved, shown, words, type PageDocument } from '../document/page-document.ts'
import { originalPath } from '../context/file-facts.ts'

const plainPath = (address: URL): string => originalPath(address.pathname)

/** Two lazy loaders fight: the page's own one swaps addresses in by script, and wins. */
const hasOwnLoader = (element: Element): boolean =>
  ['data-src', 'data-srcset', 'data-lazy', 'data-original'].some((name) => element.attribs[name] !== undefined) ||
  words(element.attribs['class']).some((word) => /^lazy/.test(word))

/** Whether a picture belongs to the initial viewport, as far as is known; pictures at the top do where it is not. */
const inFirstView = (address: URL, index: number, { knowledge, remedies }: RewriteContext): boolean => {
  const known = knowledge?.images.find(({ path }) => path === plainPath(address))
  if (knowledge?.mainImage === plainPath(address)) return true
  return known?.inFirstView ?? index < remedies.lazy.firstImages
}

const BACKGROUND = /(?:^|;)\s*background(?:-image)?\s*:[^;]*url\(/i

/** Gives elements their style back when they come near the view. */
export const BACKGROUND_LOADER =
  "(function(d,w){var l=d.querySelectorAll('[data-zest-style]');function s(n){n.setAttribute('style',n.getAttribute('data-zest-style'));n.removeAttribute('data-zest-style')}if(!w.IntersectionObserver)return l.forEach(s);var o=new IntersectionObserver(function(a){a.forEach(function(e){if(e.isIntersecting){o.unobserve(e.target);s(e.target)}})},{rootMargin:'400px'});l.forEach(function(n){o.observe(n)})})(document,window)"

const backgrounds = (page: PageDocument, context: RewriteContext, work: Work): void => {
  const { exceptions, firstImages } = context.remedies.lazy
  const left = compileExceptions(exceptions)
  const withBackground = page.elements.filter(({ attribs }) => BACKGROUND.test(attribs['style'] ?? ''))
  const later = withBackground
    .slice(firstImages)
    .filter((element) => element.attribs['data-zest-style'] === undefined && left.element(element) === undefined)
  if (later.length === 0) return
  if (!context.policy.inlineScript)
    return work.left('backgrounds', 'Left alone: the page’s Content-Security-Policy allows no inline loader.')
  for (const element of later) {
    // Everything but the pictures stays, so that sizes and colours are there at once.
    const style = element.attribs['style'] ?? ''
    const without = style.replaceAll(/url\((?:\s*"[^"]*"\s*|\s*'[^']*'\s*|[^)]*)\)/gi, 'none')
    work.change(shown(page, element), 'Background loads when the visitor scrolls near it.', [
      ...setAttribute(element, 'style', without),
      ...setAttribute(element, 'data-zest-style', style),
    ])
  }
  work.edit(insertLast(page, `<script>${BACKGROUND_LOADER}</script>`))
}

/**
 * Pictures, frames and backgrounds below the initial viewport load when they come near it (WHATWG HTML §2.5.7, lazy loading attributes). Never those of
 * the initial viewport, and nothing that a loader of the page's own looks after.
 */
export const loadLazily: PageRemedy = (page, context) => {
  const work = new Work('lazy')
  const settings = context.remedies.lazy
  const left = compileExceptions(settings.exceptions)
  let index = -1
  for (const element of page.elements) {
    const address = resolved(page, element.attribs['src'])
    if (address === undefined || (element.name !== 'img' && element.name !== 'iframe')) continue
    if (element.name === 'img') index++
    const item = element.attribs['src'] ?? ''
    const wanted = element.name === 'img' ? settings.images : settings.frames
    if (!wanted) continue
    const exception = left.file(address) ?? left.element(element)
    if (exception !== undefined) {
      work.left(item, exceptionSentence(exception))
      continue
    }
    if (hasOwnLoader(element)) {
      work.left(item, 'Left alone: the page has its own lazy loader for it.')
      continue
    }
    if (element.name === 'img' && inFirstView(address, index, context)) {
      // What its author made lazy by mistake holds up the main content.
      if (element.attribs['loading'] === 'lazy' && context.knowledge?.mainImage === plainPath(address))
        work.change(item, 'Loads at once: it is the main content.', removeAttribute(element, 'loading'))
      continue
    }
    if (element.attribs['loading'] !== undefined) continue
    work.change(
      item,
      element.name === 'img'
        ? 'Loads when the visitor scrolls near it.'
        : 'Frame loads when the visitor scrolls near it.',
      setAttribute(element, 'loading', 'lazy'),
    )
  }
  if (settings.backgrounds) backgrounds(page, context, work)
  return work.done()
}
