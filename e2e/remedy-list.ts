import type { Locator, Page } from 'playwright-core'

/** The working list of remedies, as an owner uses it. */

/** Everything about one remedy, beside the list; opened where it is not. */
export const opened = async (page: Page, name: string): Promise<Locator> => {
  const row = page.getByRole('button', { name, exact: true })
  if ((await row.getAttribute('aria-expanded')) !== 'true') await row.click()
  const detail = page.getByRole('complementary', { name, exact: true })
  await detail.waitFor()
  return detail
}

/** The switch of a remedy, in the list. */
export const switchOf = (page: Page, name: string): Locator =>
  page.getByRole('checkbox', { name: `${name} in trial`, exact: true })

/** The section of the trial. */
export const trialSection = (page: Page): Locator => page.getByRole('region', { name: 'Trial', exact: true })
