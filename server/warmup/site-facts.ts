import type { WarmUpCandidate } from '../../core/cache/warm-up-order.ts'
import type { AddressState } from '../../core/contracts/store.ts'
import type { Visited, WarmUpSettings } from '../../core/contracts/warm-up.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { pathPatterns } from '../../core/http/patterns.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { warmUpAddresses } from '../db/warm-up-schema.ts'
import { liveSetup } from '../release/setups.ts'
import { changesOf, inForce } from '../sites/changes-told.ts'
import { siteRow } from '../sites/sites.ts'
import { warmUpOf } from './warm-up-settings.ts'

/** What a warm-up needs to know of a site. */
export interface SiteFacts {
  readonly name: string
  readonly settings: WarmUpSettings
  /** Live host name, and the schemes that visitors come by. */
  readonly host: string
  readonly schemes: readonly ('http' | 'https')[]
  readonly pageCache: 'on' | 'off'
  readonly setup: Setup
  /** How long a new copy of a page is fresh, as far as the owner decides it, seconds. */
  readonly lifetimeOf: (target: string) => number
}

/** A scheme that fewer visitors come by is not loaded, as a share of all. */
const LEAST_SHARE = 0.05

/** Where nothing was counted yet, visitors come by the scheme that the site believes to have. */
const schemesOf = (
  { redirectToHttps }: Setup,
  publicAddress: string | null,
  { http, https }: Visited['schemes'],
): ('http' | 'https')[] => {
  if (redirectToHttps) return ['https']
  const all = http + https
  if (all === 0) return [publicAddress?.startsWith('https:') === true ? 'https' : 'http']
  return [
    ...(https / all >= LEAST_SHARE ? (['https'] as const) : []),
    ...(http / all >= LEAST_SHARE ? (['http'] as const) : []),
  ]
}

const lifetimes = ({ remedies: { pageCache } }: Setup): SiteFacts['lifetimeOf'] => {
  const kinds = pageCache.kinds.map(({ paths, lifetimeS }) => ({ fits: pathPatterns(paths), lifetimeS }))
  return (target) => {
    const path = target.split('?', 1)[0] ?? target
    return kinds.find(({ fits }) => fits(path))?.lifetimeS ?? pageCache.lifetimeS
  }
}

/** A log does not say over how long it was written; a week is common practice. */
const LOG_S = 7 * 86_400

/** What is known of an address: own counts, else those of an access log. @param lifetimeS of a new copy */
export const candidateOf = (
  {
    target,
    priority,
    visits,
    waitMs,
  }: Pick<typeof warmUpAddresses.$inferSelect, 'target' | 'priority' | 'visits' | 'waitMs'>,
  state: Pick<AddressState, 'requests' | 'watchedS' | 'waitMs'>,
  lifetimeS: number,
): WarmUpCandidate => {
  const fromLog = visits !== null && state.requests === 0
  return {
    target,
    requests: fromLog ? visits : state.requests,
    watchedS: fromLog ? LOG_S : state.watchedS,
    priority,
    lifetimeS,
    waitMs: state.waitMs ?? waitMs,
  }
}

/** @throws AppError NOT_FOUND; DeliveryUnavailable */
export const siteFacts = async ({ db, delivery }: HasDatabase & HasDelivery, siteId: string): Promise<SiteFacts> => {
  const row = await siteRow(db, siteId)
  const { settings } = await warmUpOf(db, siteId)
  const setup = inForce((await liveSetup(db, siteId)).setup, await changesOf(db, siteId))
  const { schemes } = await delivery.visited(siteId)
  return {
    name: row.name,
    settings,
    host: row.liveHost,
    schemes: schemesOf(setup, row.publicAddress, schemes),
    pageCache: setup.remedies.pageCache.enabled ? 'on' : 'off',
    setup,
    lifetimeOf: lifetimes(setup),
  }
}
