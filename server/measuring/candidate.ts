import type { HasDatabase } from '../db/database.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { eq } from 'drizzle-orm'
import type { Channel } from '../../core/contracts/delivery.ts'
import type { Side } from '../../core/contracts/measuring.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { TRIAL_KEY } from '../../core/http/trial-key.ts'
import { candidates } from '../db/schema.ts'
import type { JobProgress } from '../jobs/job-queue.ts'
import { sideOrigin } from './run-order.ts'
import { waitForTransforms } from './wait-for-transforms.ts'
import { askOutside } from '../net/outside-request.ts'

type Needed = HasDatabase & HasPublisher

/** Serve a setup on the candidate's address; trial and live stay as they are. */
export const setCandidate = async ({ db, publisher }: Needed, siteId: string, setup: Setup): Promise<void> => {
  await db
    .insert(candidates)
    .values({ siteId, setup })
    .onConflictDoUpdate({ target: candidates.siteId, set: { setup } })
  await publisher.publish()
}

/** The candidate's address is served no longer. */
export const dropCandidate = async ({ db, publisher }: Needed, siteId: string): Promise<void> => {
  await db.delete(candidates).where(eq(candidates.siteId, siteId))
  await publisher.publish()
}

/** Which channel a side is served under. */
export const channelOf = (side: Side): Channel => (side === 'live' ? 'live' : 'trial')

const PAGE_TIMEOUT_MS = 60_000

/** Ask for a page as a phone or laptop does, so that what it needs is made, and wait until it is. Twice: the finished page may ask for more. */
export const makeReady = async (
  io: HasDelivery & HasAddresses,
  site: Site,
  side: Side,
  path: string,
  device: 'phone' | 'laptop',
  progress: JobProgress,
  [done, all]: readonly [number, number],
): Promise<void> => {
  const ask = () =>
    askOutside(`http://127.0.0.1:${io.addresses.deliveryPort}${path}`, {
      reach: 'allowed',
      timeoutMs: PAGE_TIMEOUT_MS,
      fields: {
        host: new URL(sideOrigin(site, side)).host,
        [TRIAL_KEY]: site.trialKey,
        'sec-ch-ua-mobile': device === 'phone' ? '?1' : '?0',
        accept: 'text/html,*/*',
      },
    }).catch(() => undefined)
  for (let time = 0; time < 2; time++) {
    await ask()
    if ((await waitForTransforms(io, site.id, progress, done, all)) === 'ready' && time > 0) return
  }
}
