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
  /** Load a page from another one of the same visit. */
  readonly loadFrom: (previousUrl: string, order: RunOrder) => Promise<RunOutcome>
  /** @returns why a journey came to nothing */
  readonly follow: (order: RunOrder) => Promise<string | undefined>
  readonly close: () => Promise<void>
}

const bareLoads = async (browser: Browser, order: RunOrder, socksPort: number): Promise<Loads> => {
  const profile = await TargetProfile.open(browser, socksPort, order)
  return {
    load: (one) => timedLoad(profile, one, browser.version()),
    loadFrom: (previousUrl, one) => timedLoad(profile, one, browser.version(), previousUrl),
    follow: () => Promise.resolve(undefined),
    close: () => profile.close(),
  }
}

const lookingLoads = async (browser: Browser, order: RunOrder, socksPort: number): Promise<Loads> => {
  const context = await contextFor(browser, order.visitor, socksPort)
  const { origin } = new URL(order.url)
  if (order.cookies.length > 0) await context.addCookies(order.cookies.map((cookie) => ({ ...cookie, url: origin })))
  const load = (one: RunOrder): Promise<RunOutcome> => auditLoad(context, one)
  return {
    load,
    // Its times do not count, so what leads there does not matter either.
    loadFrom: async (previousUrl, one) => {
      const previous = await load({ ...one, url: previousUrl, instruments: 'light' })
      return previous.kind === 'failed' ? previous : load(one)
    },
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
 * loads the page once before in the same profile, a next page is opened from another one, by its link where there is one; a visitor who is signed in follows the journey first.
 * @param socksPort where the link listens
 */
export const probe = async (browser: Browser, order: RunOrder, socksPort: number): Promise<RunOutcome> => {
  const looking = order.instruments === 'all' || order.journey !== null
  const loads = await (looking ? lookingLoads : bareLoads)(browser, order, socksPort)
  try {
    const stuck = await loads.follow(order)
    if (stuck !== undefined) return { kind: 'failed', why: stuck }
    if (order.visit === 'next' && order.previousUrl !== null) return await loads.loadFrom(order.previousUrl, order)
    if (order.visit === 'return') {
      const outcome = await loads.load({ ...order, instruments: 'light' })
      if (outcome.kind === 'failed') return outcome
    }
    return await loads.load(order)
  } finally {
    await loads.close().catch(() => undefined)
  }
}
