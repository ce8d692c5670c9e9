import type { Page } from 'playwright-core'
import { andSettle } from '../cdp/settle.ts'
import type { Journey, JourneyStep } from '../../core/contracts/measuring.ts'
import { upTo } from '../../core/http/up-to.ts'

export type Followed = { readonly kind: 'arrived' } | { readonly kind: 'stuck'; readonly why: string }

const STEP_MS = 10_000

const inWords = (step: JourneyStep): string => {
  switch (step.do) {
    case 'open':
      return `opening ${step.path}`
    case 'click':
      return `clicking on ${step.target}`
    case 'type':
      return `typing into ${step.target}`
    case 'see':
      return `waiting for ${step.target}`
  }
}

const take = async (page: Page, step: JourneyStep, origin: string, timeout: number): Promise<void> => {
  switch (step.do) {
    case 'open':
      await page.goto(origin + step.path, { waitUntil: 'load', timeout })
      return
    case 'click':
      // A click may lead to another page; its scripts have to be there before the next step.
      await andSettle(page, () => page.locator(step.target).first().click({ timeout }), timeout)
      return
    case 'type':
      await page.locator(step.target).first().fill(step.text, { timeout })
      return
    case 'see':
      await page.locator(step.target).first().waitFor({ state: 'visible', timeout })
  }
}

/**
 * Do what a visitor would, step by step.
 * @param origin scheme, host and port that paths belong to
 * @returns at which step it went no further, in words; never rejects for what the page does
 */
export const followJourney = async (
  page: Page,
  journey: Journey,
  origin: string,
  timeoutMs: number,
): Promise<Followed> => {
  for (const [index, step] of journey.steps.entries()) {
    try {
      await take(page, step, origin, Math.min(timeoutMs, STEP_MS))
    } catch (error) {
      const first = upTo((error as Error).message, '\n').replace(/^[\w.]+: /, '')
      return {
        kind: 'stuck',
        why: `The journey “${journey.name}” stopped at step ${index + 1}, ${inWords(step)}: ${first}`,
      }
    }
  }
  return { kind: 'arrived' }
}
