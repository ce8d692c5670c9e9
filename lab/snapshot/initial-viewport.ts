/** What stood in the initial viewport when the main content was painted. */
export interface SeenFirst {
  readonly elements: ReadonlySet<Element>
  /** How wide pictures were that had a box anywhere, CSS pixels; those of hidden slides have none. */
  readonly widths: ReadonlyMap<Element, number>
}

declare global {
  interface Window {
    __zestSeenFirst?: SeenFirst
  }
}

/**
 * Runs in the page before anything else, in loads that are only looked at: remembers the initial viewport of the moment the main content was painted. Once the
 * page is quiet, slides have moved on and menus have shut, and what was seen first is not seen any more. It may use nothing from outside.
 */
export const rememberFirstView = (): void => {
  const look = (): void => {
    const elements = new Set<Element>()
    for (const element of document.querySelectorAll('*')) {
      const { width, height, top, bottom, left } = element.getBoundingClientRect()
      const inside = top < window.innerHeight && bottom > 0 && left < window.innerWidth
      if (width > 0 && height > 0 && inside) elements.add(element)
    }
    const widths = new Map<Element, number>()
    for (const image of document.images)
      if (image.getClientRects().length > 0) widths.set(image, image.getBoundingClientRect().width)
    window.__zestSeenFirst = { elements, widths }
  }
  try {
    new PerformanceObserver(() => {
      // Somebody who has scrolled sees another view.
      if (window.scrollY === 0) look()
    }).observe({ type: 'largest-contentful-paint', buffered: true })
  } catch {
    // A browser without this entry type: what is seen in the end has to do.
  }
}
