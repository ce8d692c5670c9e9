import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { RequestPath, RequestPathOrder } from '../../core/contracts/store.ts'
import { explainExchange } from '../../core/explain/explain-caching.ts'
import { TRIAL_KEY } from '../../core/http/trial-key.ts'
import type { Fields } from '../../core/http/fields.ts'
import { errors } from '../errors/app-errors.ts'
import { askOutside, OutsideFailure } from '../net/outside-request.ts'
import { getTrial, liveSetup } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'

/**
 * Send one request through delivery and explain how it was answered. It is a real request: it may fill the store, as a visitor's would.
 * @throws AppError DELIVERY_DOWN, NOT_FOUND
 */
export const explainRequest = async (
  services: HasDatabase & HasAddresses,
  siteId: string,
  { address, channel, cookie }: RequestPathOrder,
): Promise<RequestPath> => {
  const site = await getSite(services, siteId)
  const setup =
    channel === 'live' ? (await liveSetup(services.db, siteId)).setup : (await getTrial(services, siteId)).setup
  const host = new URL(channel === 'live' ? site.liveUrl : site.trialUrl).host
  const sent: Record<string, string> = {
    host,
    'accept-encoding': 'br, gzip',
    accept: 'text/html,*/*',
    ...(cookie === '' ? {} : { cookie }),
  }
  const key: Record<string, string> = channel === 'trial' ? { [TRIAL_KEY]: site.trialKey } : {}
  const answer = await askOutside(`http://127.0.0.1:${services.addresses.deliveryPort}${address}`, {
    reach: 'allowed',
    fields: { ...sent, ...key },
    timeoutMs: 60_000,
  }).catch((error: Error) => {
    if (error instanceof OutsideFailure) throw errors.deliveryDown(error.message)
    throw error
  })
  const fields: Fields = [...answer.fields]
  const requestFields: Fields = Object.entries(sent)
  const explained = explainExchange({
    address,
    host,
    channel,
    requestFields,
    setup,
    status: answer.status,
    fields,
  })
  return {
    status: answer.status,
    tookMs: answer.tookMs,
    ...explained,
    fields: fields.map(([name, value]) => [name, value]),
  }
}
