import type { Confirmation } from '../../core/contracts/sites.ts'
import { askOutside, OutsideFailure } from './outside-request.ts'
import { getSite } from './sites.ts'
import type { Services } from '../services.ts'

/** Twice: the first visitor fills the store, the second shows whether it answers. */
const TIMES = 2

/**
 * Ask live for the sample pages from outside, as a signed-out visitor with an empty browser, and report what the answers say about
 * themselves.
 */
export const confirmLive = async (services: Services, siteId: string): Promise<Confirmation[]> => {
  const site = await getSite(services, siteId)
  const confirmations: Confirmation[] = []
  for (const { path } of site.sample) {
    const answers: Confirmation['answers'] = []
    for (let time = 0; time < TIMES; time++) {
      const answer = await askOutside(`http://127.0.0.1:${services.addresses.deliveryPort}${path}`, {
        fields: { host: new URL(site.liveUrl).host, 'accept-encoding': 'br, gzip', accept: 'text/html,*/*' },
        timeoutMs: 60_000,
      }).catch((error: Error) => error)
      if (answer instanceof OutsideFailure)
        answers.push({ status: 0, cacheStatus: answer.message, coding: '', tookMs: 0 })
      else if (answer instanceof Error) throw answer
      else
        answers.push({
          status: answer.status,
          cacheStatus: answer.fields.get('cache-status') ?? '',
          coding: answer.fields.get('content-encoding') ?? 'none',
          tookMs: answer.tookMs,
        })
    }
    confirmations.push({ path, answers })
  }
  return confirmations
}
