/** What stood in the first view when the main content was painted. */
export interface SeenFirst {
  readonly elements: ReadonlySet<Element>
  /** How wide pictures were that had a box anywhere, CSS pixels; those of hidden slides have none. */
  readonly widths: ReadonlyMap<Element, number>
  /** What its styles kept out of the first view, inside something that was in it. */
  readonly keptOut: ReadonlySet<Element>
}

declare global {
  interface Window {
    __zestSeenFirst?: SeenFirst
    /** Whether styles keep an element from where it would stand without them: hidden, without size, out of the flow or outside the window. */
    __zestKeptOut?: (element: Element) => boolean
  }
}

/**
 * Runs in the page before anything else, in loads that are only looked at: remembers the first view of the moment the main content was painted. Once the
 * page is quiet, slides have moved on and menus have shut, and what was seen first is not seen any more. It may use nothing from outside.
 */
export const rememberFirstView = (): void => {
  const keptOut = (element: Element): boolean => {
    const { width, height, right, bottom } = element.getBoundingClientRect()
    const { position } = getComputedStyle(element)
    const outside = right + window.scrollX <= 0 || bottom + window.scrollY <= 0
    return width === 0 || height === 0 || outside || position === 'absolute' || position === 'fixed'
  }
  window.__zestKeptOut = keptOut
  const look = (): void => {
    const elements = new Set<Element>()
    const hidden = new Set<Element>()
    // In document order: whether the parent is in view is known before its children are looked at.
    for (const element of document.querySelectorAll('*')) {
      const { width, height, top, bottom, left } = element.getBoundingClientRect()
      const inside = top < window.innerHeight && bottom > 0 && left < window.innerWidth
      if (width > 0 && height > 0 && inside) elements.add(element)
      else if (elements.has(element.parentElement!) && keptOut(element)) hidden.add(element)
    }
    const widths = new Map<Element, number>()
    for (const image of document.images)
      if (image.getClientRects().length > 0) widths.set(image, image.getBoundingClientRect().width)
    window.__zestSeenFirst = { elements, widths, keptOut: hidden }
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
