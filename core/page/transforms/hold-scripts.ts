import type { Element } from 'domhandler'
import type { PageKnowledge } from '../../contracts/page-changes.ts'
import { FILE } from '../../sampling/links.ts'
import { compileExceptions } from '../context/exceptions.ts'
import { MADE_FOLDER } from '../context/file-facts.ts'
import type { RewriteContext } from '../context/rewrite-context.ts'
import { insertLast, removeAttribute, setAttribute, type Edit } from '../document/edits.ts'
import { isClassicScript, resolved, type PageDocument } from '../document/page-document.ts'
import { standsBefore, waitsAnyway } from './script-places.ts'

/**
 * Whether a page may be rendered before its visitor opens it. Scripts of other hosts, which may count the visit, are held until the page is shown; a
 * page whose own scripts ask anybody for anything is not rendered ahead, only fetched.
 */
export type PrerenderingDecision =
  | { readonly kind: 'allowed'; readonly held: readonly string[]; readonly edits: readonly Edit[] }
  | { readonly kind: 'fetched-only'; readonly because: string }

/** Type of a script that waits until its page is shown. No browser runs what it does not know (WHATWG HTML §4.12.1). */
const HELD_TYPE = 'text/zest-shown'

/**
 * Runs held scripts in their order, once the page is shown (HTML, prerendering: `prerenderingchange`), behind its first frame. What they wait for may be over by then: listeners
 * that they add for the page's load are called at once.
 */
export const SHOWN_LOADER = `(function(d,w){var h=[];function p(o){var a=o.addEventListener;o.addEventListener=function(t,f,x){if((t=='load'||t=='DOMContentLoaded')&&d.readyState=='complete'&&h.indexOf(d.currentScript)>=0)setTimeout(function(){f.handleEvent?f.handleEvent(new Event(t)):f.call(o,new Event(t))});else a.call(o,t,f,x)}}function g(){if(d.readyState=='complete'){p(w);p(d)}d.querySelectorAll('script[type="${HELD_TYPE}"]').forEach(function(o){var s=d.createElement('script');for(var i=0;i<o.attributes.length;i++){var a=o.attributes[i];if(a.name!='type'&&a.name!='data-zest-src'&&a.name!='data-zest-type')s.setAttribute(a.name,a.value)}if(o.dataset.zestType)s.type=o.dataset.zestType;s.async=o.hasAttribute('async');h.push(s);s.src=o.getAttribute('data-zest-src');o.parentNode.replaceChild(s,o)})}d.prerendering?d.addEventListener('prerenderingchange',function(){w.requestAnimationFrame(function(){setTimeout(g)})},{once:!0}):g()})(document,window)`

const isRun = (element: Element): boolean =>
  element.name === 'script' && (isClassicScript(element) || element.attribs['type']?.trim().toLowerCase() === 'module')

/** Whether a script may run at any time, as far as the scripts of the page's own go. */
const mayWait = (page: PageDocument, element: Element, own: readonly Element[]): boolean =>
  element.attribs['async'] !== undefined ||
  own.every((one) => one.attribs['async'] !== undefined || standsBefore(one, element)) ||
  (waitsAnyway(element) && own.filter(waitsAnyway).every((one) => standsBefore(one, element)))

const host = (url: string | null): string | undefined =>
  url !== null && URL.canParse(url) ? new URL(url).host : undefined

/** What a script of the page's own asks for while the page loads, if it is more than a file of the site. */
const asksFor = (page: PageDocument, { asks }: PageKnowledge): string | undefined =>
  (asks ?? []).find(({ url, by, type }) => {
    // What scripts of other hosts ask for is asked once the page is shown.
    const asker = host(by)
    if (asker !== undefined && asker !== page.address.host) return false
    const { pathname, host: asked } = new URL(url)
    if (asked !== page.address.host) return true
    const isFile = FILE.test(pathname) && !url.includes('?') && ['script', 'style', 'image', 'font'].includes(type)
    return !isFile && !pathname.startsWith(MADE_FOLDER)
  })?.url

/** A picture of another host that nobody can see: there to be counted (common practice). */
const isPixel = (page: PageDocument, { name, attribs }: Element): boolean => {
  const address = name === 'img' ? resolved(page, attribs['src']) : undefined
  const isTiny = [attribs['width'], attribs['height']].some((size) => size !== undefined && Number.parseInt(size) <= 1)
  return address !== undefined && address.host !== page.address.host && isTiny
}

/** Decide whether a page may be rendered ahead, and hold what must wait. */
export const holdScripts = (page: PageDocument, context: RewriteContext): PrerenderingDecision => {
  const only = (because: string): PrerenderingDecision => ({ kind: 'fetched-only', because })
  if (!context.policy.inlineScript) return only('The page’s security policy forbids the script that is needed.')
  const views = Object.values(context.views)
  if (views.length === 0) return only('It is not known yet what its scripts ask for: measure the page.')
  if (views.some(({ asks }) => asks === undefined))
    return only('It is not known yet what its scripts ask for: measure the page once more.')
  const asked = views.map((view) => asksFor(page, view)).find((url) => url !== undefined)
  if (asked !== undefined) return only(`Its scripts ask for ${asked}.`)
  const scripts = page.elements.filter(isRun)
  const isOther = (element: Element): boolean => {
    const address = resolved(page, element.attribs['src'])
    return address !== undefined && address.host !== page.address.host
  }
  const own = scripts.filter((element) => !isOther(element))
  const others = scripts.filter(isOther)
  const left = compileExceptions(context.remedies.prefetch.exceptions)
  const excluded = others.find((element) => left.element(element) !== undefined)
  if (excluded !== undefined)
    return only(`${excluded.attribs['src'] ?? ''} is excluded, so it does not wait until the page is shown.`)
  const pixel = page.elements.find((element) => isPixel(page, element))
  if (pixel !== undefined) return only(`${pixel.attribs['src'] ?? ''} is a picture that counts visits.`)
  const bound = others.find((element) => !mayWait(page, element, own))
  if (bound !== undefined)
    return only(`Scripts of the page run after ${bound.attribs['src'] ?? ''} and may need it, so it cannot wait.`)
  const held = others.map((element) => element.attribs['src'] ?? '')
  const edits = others.flatMap((element) => [
    ...(element.attribs['type'] === undefined || isClassicScript(element)
      ? []
      : setAttribute(element, 'data-zest-type', element.attribs['type'])),
    ...setAttribute(element, 'type', HELD_TYPE),
    ...setAttribute(element, 'data-zest-src', element.attribs['src'] ?? ''),
    ...removeAttribute(element, 'src'),
  ])
  return {
    kind: 'allowed',
    held,
    edits: others.length === 0 ? [] : [...edits, ...insertLast(page, `<script>${SHOWN_LOADER}</script>`)],
  }
}
