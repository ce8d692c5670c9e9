import type { Page } from 'playwright-core'

/** Scroll to the end of a view: what stands there is made when somebody comes near. */
export const toEnd = (page: Page): Promise<void> =>
  page.locator('#main').evaluate((main) => main.scrollTo(0, main.scrollHeight))
