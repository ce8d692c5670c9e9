import type { Browser } from 'playwright-core'
import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import { contextFor } from '../cdp/as-visitor.ts'
import { TargetProfile } from '../cdp/cdp-target.ts'
import { followJourney } from '../journey/journey.ts'
import { timedLoad } from './timed-load.ts'
import { auditLoad } from './audit-load.ts'

/** Page loads in one profile, one after the other. */
interface Loads {
  readonly load: (order: RunOrder) => Promise<RunOutcome>
  /** @returns why a journey came to nothing */
  readonly follow: (order: RunOrder) => Promise<string | undefined>
  readonly close: () => Promise<void>
}

const bareLoads = async (browser: Browser, order: RunOrder, socksPort: number): Promise<Loads> => {
  const profile = await TargetProfile.open(browser, socksPort, order)
  return {
    load: (one) => timedLoad(profile, one, browser.version()),
    follow: () => Promise.resolve(undefined),
    close: () => profile.close(),
  }
}

const lookingLoads = async (browser: Browser, order: RunOrder, socksPort: number): Promise<Loads> => {
  const context = await contextFor(browser, order.visitor, socksPort)
  const { origin } = new URL(order.url)
  if (order.cookies.length > 0) await context.addCookies(order.cookies.map((cookie) => ({ ...cookie, url: origin })))
  return {
    load: (one) => auditLoad(context, one),
    follow: async ({ journey, timeoutMs }) => {
      if (journey === null) return undefined
      const page = await context.newPage()
      const followed = await followJourney(page, journey, origin, timeoutMs)
      await page.close()
      return followed.kind === 'stuck' ? followed.why : undefined
    },
    close: () => context.close(),
  }
}

/**
 * One page load as a visitor: an empty profile, the visitor's device and CPU, all hosts through the simulated link. A return visit
 * loads the page once before, a next page another one, in the same profile; a visitor who is signed in follows the journey first.
 * @param socksPort where the link listens
 */
export const probe = async (browser: Browser, order: RunOrder, socksPort: number): Promise<RunOutcome> => {
  const looking = order.instruments === 'all' || order.journey !== null
  const loads = await (looking ? lookingLoads : bareLoads)(browser, order, socksPort)
  try {
    const stuck = await loads.follow(order)
    if (stuck !== undefined) return { kind: 'failed', why: stuck }
    const before = order.visit === 'return' ? order.url : order.visit === 'next' ? order.previousUrl : null
    if (before !== null) {
      const outcome = await loads.load({ ...order, url: before, instruments: 'light' })
      if (outcome.kind === 'failed') return outcome
    }
    return await loads.load(order)
  } finally {
    await loads.close().catch(() => undefined)
  }
}
