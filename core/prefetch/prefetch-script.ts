import type { PrefetchSettings } from '../contracts/rewriting.ts'

/** Element whose text tells the script what may be fetched. */
export const NEXT_PAGES = 'zest-next'

/** What a page says of its next pages. */
export interface NextPages {
  readonly when: PrefetchSettings['when']
  /** Whether the page's policy lets a script write rules into the page. */
  readonly rules: boolean
  /** Paths with query. */
  readonly paths: readonly string[]
}

/** Eagerness of speculation rules (WICG, Speculation Rules §"eagerness"): press, hover, seen. */
const EAGERNESS: Readonly<Record<NextPages['when'], string>> = {
  press: 'conservative',
  hover: 'moderate',
  view: 'eager',
}

/** Data of a page, so written that nothing of it ends the element it stands in (WHATWG HTML §4.12.1.3). */
export const nextPagesText = (next: NextPages): string =>
  JSON.stringify({ ...next, eagerness: EAGERNESS[next.when] }).replaceAll('<', '\\u003c')

/**
 * Runs in the page, once it is parsed. Speculation rules where the browser has them, links of `rel=prefetch` elsewhere; nothing for visitors who save
 * data (Save Data API) or have a slow link (Network Information API).
 */
export const PREFETCH_SCRIPT = `(() => {
  const data = document.getElementById(${JSON.stringify(NEXT_PAGES)})
  const line = navigator.connection
  if (!data || (line && (line.saveData || /2g/.test(line.effectiveType || '')))) return
  const { when, rules, eagerness, paths } = JSON.parse(data.textContent)
  const urls = new Set(paths.map((path) => new URL(path, location.href).href))
  if (rules && HTMLScriptElement.supports && HTMLScriptElement.supports('speculationrules')) {
    const script = document.createElement('script')
    script.type = 'speculationrules'
    script.text = JSON.stringify({ prefetch: [{ source: 'list', urls: [...urls], eagerness }] })
    document.head.append(script)
    return
  }
  const get = (link) => {
    const url = link && link.href.split('#', 1)[0]
    if (!urls.delete(url)) return
    const hint = document.createElement('link')
    hint.rel = 'prefetch'
    hint.href = url
    document.head.append(hint)
  }
  const linkOf = (event) => event.target.closest && event.target.closest('a[href]')
  const passive = { passive: true, capture: true }
  for (const kind of ['touchstart', 'mousedown']) addEventListener(kind, (event) => get(linkOf(event)), passive)
  if (when === 'press') return
  let waiting
  addEventListener('mouseover', (event) => {
    clearTimeout(waiting)
    const link = linkOf(event)
    if (link) waiting = setTimeout(get, 120, link)
  }, passive)
  addEventListener('focusin', (event) => get(linkOf(event)), passive)
  if (when === 'hover' || !window.IntersectionObserver) return
  const seen = new IntersectionObserver((entries) => {
    for (const { isIntersecting, target } of entries)
      if (isIntersecting) {
        seen.unobserve(target)
        get(target)
      }
  })
  for (const link of document.links) if (urls.has(link.href.split('#', 1)[0])) seen.observe(link)
})()
`
