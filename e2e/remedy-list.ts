import type { Locator, Page } from 'playwright-core'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Site } from '../core/contracts/sites.ts'
import type { Stack } from './stack.ts'

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

/** Remedies by their id, each with the settings that differ from what the trial has. */
export type SomeRemedies = Record<string, Record<string, unknown>>

/** Switch remedies on in the trial, without the interface. */
export const switchOnInTrial = async (stack: Stack, { id }: Site, remedies: SomeRemedies): Promise<void> => {
  const { setup } = await stack.api<Trial>('GET', `/sites/${id}/trial`)
  const all: SomeRemedies = setup.remedies
  const on = Object.fromEntries(
    Object.entries(remedies).map(([name, more]) => [name, { ...all[name], enabled: true, ...more }]),
  )
  await stack.api('PUT', `/sites/${id}/trial`, { setup: { ...setup, remedies: { ...all, ...on } } })
}
