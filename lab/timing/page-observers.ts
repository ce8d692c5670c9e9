import type { LayoutShift } from '../../core/contracts/measuring.ts'

/** What the browser noted of a page while it loaded; times in ms of the page's own clock. */
export interface Observed {
  fcp: number | null
  lcp: { at: number; element: string; url: string | null } | null
  cls: number
  shifts: LayoutShift[]
  longTasks: { start: number; duration: number }[]
}

/**
 * Runs in the page once it is quiet, and reads what the browser has buffered of paints, layout shifts and long tasks (Performance Timeline
 * §4.2.1, buffered flag). Watching from the beginning would take time of the page's own: a script before all others, and one more
 * with each entry, all of it slowed down as the visitor's processor is. It may use nothing from outside.
 */
export const readObserved = async (): Promise<Observed> => {
  const observed: Observed = { fcp: null, lcp: null, cls: 0, shifts: [], longTasks: [] }
  const describe = (node: Node | null): string => {
    const element = node instanceof Element ? node : (node?.parentElement ?? null)
    if (element === null) return 'an element that is gone'
    const id = element.id === '' ? '' : `#${element.id}`
    const classes = [...element.classList].slice(0, 2).map((name) => `.${name}`)
    return element.tagName.toLowerCase() + id + classes.join('')
  }
  const observe = (type: string, each: (entry: PerformanceEntry) => void): void => {
    try {
      new PerformanceObserver((list) => list.getEntries().forEach(each)).observe({ type, buffered: true })
    } catch {
      // An entry type this browser does not know leaves its figure empty.
    }
  }
  observe('paint', (entry) => {
    if (entry.name === 'first-contentful-paint') observed.fcp = entry.startTime
  })
  observe('largest-contentful-paint', (entry) => {
    const lcp = entry as PerformanceEntry & { element: Element | null; url: string }
    // A picture that stands in the page itself goes by the address that its element names beside.
    const named = lcp.url.startsWith('data:') && lcp.element instanceof HTMLImageElement ? lcp.element.src : lcp.url
    observed.lcp = { at: lcp.startTime, element: describe(lcp.element), url: named === '' ? null : named }
  })
  observe('longtask', (entry) => observed.longTasks.push({ start: entry.startTime, duration: entry.duration }))
  // Layout Instability (W3C), and session windows as is common practice: at most 1 s between shifts and 5 s in all; the largest window counts.
  let windowSum = 0
  let windowStart = 0
  let last = 0
  observe('layout-shift', (entry) => {
    const shift = entry as PerformanceEntry & {
      value: number
      hadRecentInput: boolean
      sources?: { node: Node | null }[]
    }
    if (shift.hadRecentInput) return
    if (shift.startTime - last > 1000 || shift.startTime - windowStart > 5000) {
      windowSum = 0
      windowStart = shift.startTime
    }
    last = shift.startTime
    windowSum += shift.value
    observed.cls = Math.max(observed.cls, windowSum)
    if (observed.shifts.length < 50)
      observed.shifts.push({
        atMs: shift.startTime,
        value: shift.value,
        elements: [...new Set((shift.sources ?? []).map(({ node }) => describe(node)))],
      })
  })
  // Buffered entries come in tasks of their own, before one that is asked for after them.
  await new Promise((resolve) => setTimeout(resolve))
  return observed
}
