import type { HasAddresses } from '../net/addresses.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasClock } from '../live/clock.ts'
import type { Confirmation } from '../../core/contracts/sites.ts'
import { askOutside, OutsideFailure } from '../net/outside-request.ts'
import { purgeHostCache } from './host-cache.ts'
import { getSite, siteRow } from '../sites/sites.ts'

/** Twice: the first visitor fills the store, the second shows whether it answers. */
const TIMES = 2

/** One answer of live as a signed-out visitor with an empty browser gets it. */
const askLive = async (
  { addresses }: HasAddresses,
  liveUrl: string,
  path: string,
): Promise<Confirmation['answers'][number]> => {
  const answer = await askOutside(`http://127.0.0.1:${addresses.deliveryPort}${path}`, {
    reach: 'allowed',
    fields: { host: new URL(liveUrl).host, 'accept-encoding': 'br, gzip', accept: 'text/html,*/*' },
    timeoutMs: 60_000,
  }).catch((error: Error) => error)
  if (answer instanceof OutsideFailure) return { status: 0, cacheStatus: answer.message, coding: '', tookMs: 0 }
  if (answer instanceof Error) throw answer
  return {
    status: answer.status,
    cacheStatus: answer.fields.get('cache-status') ?? '',
    coding: answer.fields.get('content-encoding') ?? 'none',
    tookMs: answer.tookMs,
  }
}

/** Longest wait for pages of the setup before to be made again; then what visitors get at the moment is told. */
const LONGEST_REMAKING_MS = 20_000
const LOOK_AGAIN_MS = 200

/** Resolves when no page waits to be made again under the setup that has just been published. */
const whenRemade = async ({ delivery }: HasDelivery, siteId: string): Promise<void> => {
  const deadline = performance.now() + LONGEST_REMAKING_MS
  while ((await delivery.preparing(siteId)).pages > 0 && performance.now() < deadline)
    await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS))
}

/** Ask live for the sample pages from outside and report what the answers say about themselves. */
export const verifyLive = async (
  services: HasDatabase & HasDelivery & HasAddresses,
  siteId: string,
): Promise<Confirmation[]> => {
  const site = await getSite(services, siteId)
  await whenRemade(services, siteId)
  const confirmations: Confirmation[] = []
  for (const { path } of site.sample) {
    const answers: Confirmation['answers'] = []
    for (let time = 0; time < TIMES; time++) answers.push(await askLive(services, site.liveUrl, path))
    confirmations.push({ path, answers })
  }
  return confirmations
}

/** Purge pages and fetch them at once, one after the other, so that the wait falls on nobody. */
export const refreshPaths = async (
  services: HasDatabase & HasDelivery & HasEvents & HasAddresses & HasClock,
  siteId: string,
  paths: readonly string[],
): Promise<Confirmation[]> => {
  const site = await getSite(services, siteId)
  const confirmations: Confirmation[] = []
  const row = await siteRow(services.db, siteId)
  for (const path of paths) {
    await purgeHostCache(services, row, { kind: 'paths', paths: [path] })
    await services.delivery.purge({ siteId, what: { kind: 'paths', paths: [path] }, manner: 'hard' })
    confirmations.push({ path, answers: [await askLive(services, site.liveUrl, path)] })
  }
  services.events.changed(siteId, 'traffic')
  return confirmations
}
