import type { Page } from 'playwright-core'
import type { PageSnapshot } from '../../core/contracts/safety.ts'

/** Controls tried on a page; more would say the same at length. */
const MOST_CONTROLS = 15
/** Whoever clicks sees something happen within this time, ms. */
const REACTS_WITHIN_MS = 300

declare global {
  interface Window {
    /** How often the page has changed since its controls are being tried. */
    __zestTried: { changes: number }
  }
}

interface Control {
  readonly key: string
  readonly name: string
}

/** Runs in the page: what can be pressed without leaving it, and listens for what pressing does. It may use nothing from outside. */
const prepareControls = (most: number): Control[] => {
  const keyOf = window.__zestKeyOf
  const state = { changes: 0 }
  window.__zestTried = state
  new MutationObserver((records) => (state.changes += records.length)).observe(document, {
    subtree: true,
    childList: true,
    attributes: true,
    characterData: true,
  })
  // Last of all listeners: what the page prevents itself it has dealt with; what it leaves would lead away.
  for (const kind of ['click', 'submit'])
    window.addEventListener(kind, (event) => {
      if (event.defaultPrevented) state.changes++
      const target = event.target as Element | null
      const leads =
        kind === 'submit' ||
        target?.closest?.('a[href]') != null ||
        target?.closest?.('button,input[type=submit]') != null
      if (leads) event.preventDefault()
    })
  const inPage = 'button,[role=button],summary,[aria-expanded],a[href^="#"],a[href^="javascript:"]'
  return [...document.querySelectorAll(inPage)]
    .filter((element) => {
      const form = element.closest('form')
      // Sending a form is for journeys: here it would only be stopped.
      if (form !== null && (element as HTMLButtonElement).type === 'submit') return false
      return element.checkVisibility({ opacityProperty: true, visibilityProperty: true })
    })
    .slice(0, most)
    .map((element) => ({
      key: keyOf(element),
      name: (
        element.textContent?.replaceAll(/\s+/g, ' ').trim() ||
        element.getAttribute('aria-label') ||
        element.tagName
      ).slice(0, 60),
    }))
}

/** Press every button and switch of a page that does not lead away, and see whether anything happens. Nothing is sent to the server that could change it. */
export const tryControls = async (page: Page): Promise<PageSnapshot['controls']> => {
  await page.route('**/*', (route) =>
    ['GET', 'HEAD'].includes(route.request().method()) ? route.continue() : route.abort(),
  )
  const address = page.url()
  const controls = await page.evaluate(prepareControls, MOST_CONTROLS)
  const tried: PageSnapshot['controls'] = []
  for (const { key, name } of controls) {
    let asked = false
    const onRequest = (): void => void (asked = true)
    page.on('request', onRequest)
    try {
      const before = await page.evaluate(() => window.__zestTried.changes)
      await page.evaluate((selector) => document.querySelector<HTMLElement>(selector)?.click(), key)
      const reacted = await page
        .waitForFunction((count) => window.__zestTried.changes > count, before, {
          timeout: REACTS_WITHIN_MS,
          polling: 20,
        })
        .then(
          () => true,
          () => false,
        )
      tried.push({ key, name, reacted: reacted || asked })
    } catch {
      // The page went elsewhere: it reacted.
      tried.push({ key, name, reacted: true })
    } finally {
      page.off('request', onRequest)
    }
    if (page.url().split('#')[0] !== address.split('#')[0]) break
  }
  return tried
}
