import type { VisitorProfile } from '../../core/contracts/measuring.ts'
import { PageReplaced, type CdpTarget } from '../cdp/cdp-target.ts'

/** How long a visitor points at a link, or sees it, before they press it, and how long a finger rests on it, ms (common practice). */
const POINTING_MS = 400
const TOUCHING_MS = 100
/** A link whose press begins no navigation is a button of a script. */
const BEGINS_WITHIN_MS = 1000

const after = (ms: number): Promise<'late'> => new Promise((resolve) => setTimeout(resolve, ms, 'late'))

/** Where on the screen the first visible link to an address is; scrolled to if it has to be. */
const placeOf = async (tab: CdpTarget, url: string): Promise<{ x: number; y: number } | null> => {
  const { result } = await tab.send('Runtime.evaluate', {
    expression: `(${find.toString()})(${JSON.stringify(url)})`,
    returnByValue: true,
  })
  return (result.value as { x: number; y: number } | null | undefined) ?? null
}

/** Runs in the page; it may use nothing from outside. */
const find = (url: string): { x: number; y: number } | null => {
  for (const link of document.querySelectorAll<HTMLAnchorElement>('a[href]')) {
    if (link.href.split('#', 1)[0] !== url || link.getClientRects().length === 0) continue
    link.scrollIntoView({ block: 'center', behavior: 'instant' })
    const [box] = link.getClientRects()
    if (box === undefined || box.width === 0 || box.height === 0) continue
    const place = { x: box.left + box.width / 2, y: box.top + box.height / 2 }
    const top = document.elementFromPoint(place.x, place.y)
    if (top !== null && (link.contains(top) || top.contains(link))) return place
  }
  return null
}

/** A page that was rendered ahead may be there before the press is over. */
const unlessReplaced = (error: unknown): void => {
  if (!(error instanceof PageReplaced)) throw error
}

/**
 * Open a page by a link of the one that is open, as a visitor does: point at it for a moment and press it, or tap it.
 * @param ready called right before the press: what happens from then on belongs to the next page
 * @returns 'no-link' where the page that is open has none that leads there
 */
export const followLink = async (
  tab: CdpTarget,
  url: string,
  device: VisitorProfile['device'],
  ready: () => void,
): Promise<'followed' | 'no-link'> => {
  const place = await placeOf(tab, url)
  if (place === null) return 'no-link'
  const began = new Promise<'began'>((resolve) => {
    tab.on('Page.frameStartedLoading', () => resolve('began'))
    tab.onceActivated(() => resolve('began'))
  })
  if (device === 'phone') {
    await after(POINTING_MS)
    ready()
    await tab.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints: [place] })
    await after(TOUCHING_MS)
    await tab.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] }).catch(unlessReplaced)
  } else {
    await tab.send('Input.dispatchMouseEvent', { type: 'mouseMoved', ...place })
    await after(POINTING_MS)
    ready()
    const press = { ...place, button: 'left', clickCount: 1 } as const
    await tab.send('Input.dispatchMouseEvent', { type: 'mousePressed', ...press }).catch(unlessReplaced)
    await tab.send('Input.dispatchMouseEvent', { type: 'mouseReleased', ...press }).catch(unlessReplaced)
  }
  return (await Promise.race([began, after(BEGINS_WITHIN_MS)])) === 'began' ? 'followed' : 'no-link'
}
