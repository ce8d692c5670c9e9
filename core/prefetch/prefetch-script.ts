import type { PrefetchSettings } from '../contracts/rewriting.ts'

/** Element whose text tells the script what may be fetched. */
export const NEXT_PAGES = 'zest-next'

/** Where the script of an open page asks which pages usually come next. */
export const NEXT_PAGES_PATH = '/zest-made/next-pages'

/** What a page says of its next pages. */
export interface NextPages {
  readonly when: PrefetchSettings['when']
  /** Whether the page's policy lets a script write rules into the page. */
  readonly rules: boolean
  /** Paths with query. */
  readonly paths: readonly string[]
}

/** Data of a page, so written that nothing of it ends the element it stands in (WHATWG HTML §4.12.1.3). */
export const nextPagesText = (next: NextPages): string => JSON.stringify(next).replaceAll('<', '\\u003c')

/**
 * Runs in the page, once it is parsed. Asks delivery once, after the page has loaded, what usually comes next, and tells it how this page came.
 * A page is fetched by speculation rules where the browser has them, by a link of `rel=prefetch` elsewhere; nothing is for visitors who save data
 * (Save Data API) or have a slow link (Network Information API). The moment is chosen here, not by the rules' eagerness: what that means differs
 * between browsers, and between phone and laptop.
 */
export const PREFETCH_SCRIPT = `(() => {
  const data = document.getElementById(${JSON.stringify(NEXT_PAGES)})
  const line = navigator.connection
  if (!data || (line && (line.saveData || /2g/.test(line.effectiveType || '')))) return
  const page = JSON.parse(data.textContent)
  const absolute = (path) => new URL(path, location.href).href
  const urls = new Set(page.paths.map(absolute))
  const rules = page.rules && HTMLScriptElement.supports && HTMLScriptElement.supports('speculationrules')
  const rendered = new Set()
  const get = (url) => {
    if (!urls.delete(url)) return
    const element = document.createElement(rules ? 'script' : 'link')
    if (rules) {
      element.type = 'speculationrules'
      element.text = JSON.stringify({ [rendered.has(url) ? 'prerender' : 'prefetch']: [{ source: 'list', urls: [url], eagerness: 'immediate' }] })
    } else {
      element.rel = 'prefetch'
      element.href = url
    }
    document.head.append(element)
  }
  const follow = (link) => link && get(link.href.split('#', 1)[0])
  const linkOf = (event) => event.target.closest && event.target.closest('a[href]')
  const passive = { passive: true, capture: true }
  const watch = (when) => {
    for (const kind of ['touchstart', 'mousedown']) addEventListener(kind, (event) => follow(linkOf(event)), passive)
    if (when === 'press') return
    let waiting
    addEventListener('mouseover', (event) => {
      clearTimeout(waiting)
      const link = linkOf(event)
      if (link) waiting = setTimeout(follow, 120, link)
    }, passive)
    addEventListener('focusin', (event) => follow(linkOf(event)), passive)
    if (when === 'hover' || !window.IntersectionObserver) return
    const seen = new IntersectionObserver((entries) => {
      for (const { isIntersecting, target } of entries)
        if (isIntersecting) {
          seen.unobserve(target)
          follow(target)
        }
    })
    for (const link of document.links) if (urls.has(link.href.split('#', 1)[0])) seen.observe(link)
  }
  const question = () => {
    const entry = (performance.getEntriesByType('navigation') || [])[0] || {}
    const stored = entry.transferSize === 0 && entry.encodedBodySize > 0
    const came = entry.activationStart > 0 ? 'prerender' : entry.deliveryType === 'navigational-prefetch' ? 'prefetch' : stored ? 'browser' : 'server'
    const before = document.referrer && new URL(document.referrer)
    const led = entry.type === 'navigate' && before && before.origin === location.origin
    return { page: location.pathname + location.search, from: led ? before.pathname + before.search : null, came }
  }
  const ask = async () => {
    let answer
    try {
      const response = await fetch(${JSON.stringify(NEXT_PAGES_PATH)}, { method: 'POST', body: JSON.stringify(question()), priority: 'low' })
      if (response.status === 204) return
      answer = response.ok ? await response.json() : page
    } catch {
      answer = page
    }
    for (const path of answer.never || []) urls.delete(absolute(path))
    for (const path of answer.prerender || []) rendered.add(absolute(path))
    for (const path of answer.now || []) get(absolute(path))
    watch(answer.when)
  }
  const begin = () => (window.requestIdleCallback || setTimeout)(() => void ask())
  const loaded = () => (document.readyState === 'complete' ? begin() : addEventListener('load', begin, { once: true }))
  if (document.prerendering) document.addEventListener('prerenderingchange', loaded, { once: true })
  else loaded()
})()
`
