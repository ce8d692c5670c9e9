import { expect } from 'vitest'
import type { Locator, Page } from 'playwright-core'

/** Choose from a list by its label and the title of one choice, once that is there. */
export const choose = async (scope: Page | Locator, label: string, title: string | RegExp): Promise<void> => {
  const list = scope.getByRole('combobox', { name: label })
  const fitting = async (): Promise<string | undefined> =>
    (await list.locator('option').allTextContents())
      .map((text) => text.trim())
      .find((text) => (typeof title === 'string' ? text === title : title.test(text)))
  await expect.poll(fitting).toBeDefined()
  await list.selectOption({ label: (await fitting())! })
}
