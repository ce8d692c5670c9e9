import type { Page, Request } from 'playwright-core'

/** Nothing says that a click leads nowhere; one that leads to another page asks for it within this time. */
const LEADS_SOMEWHERE_MS = 200

/**
 * Do something on a page and wait until what it leads to has been loaded, if it leads anywhere.
 * @param timeoutMs longest wait for the other page
 */
export const andSettle = async (page: Page, act: () => Promise<unknown>, timeoutMs: number): Promise<void> => {
  let leaves = false
  const onRequest = (request: Request): void => {
    if (request.isNavigationRequest() && request.frame() === page.mainFrame()) leaves = true
  }
  page.on('request', onRequest)
  const loaded = page.waitForEvent('load', { timeout: timeoutMs }).catch(() => undefined)
  try {
    await act()
    await page.waitForTimeout(LEADS_SOMEWHERE_MS)
    if (leaves) await loaded
  } finally {
    page.off('request', onRequest)
  }
}
