import { setImmediate, setTimeout } from 'node:timers/promises'
import { isHtml } from '../../core/http/freshness.ts'
import { keyAddress } from '../../core/cache/cache-key.ts'
import { linkedPaths } from '../../core/watching/page-links.ts'
import { LINKS_WITHIN } from '../fetch/store-response.ts'
import { isOwnCopy, targetOfKey } from '../cache-keys/partitions.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import { contextFor } from '../fetch/background-revalidation.ts'

/** Pages that are read between two rests: visitors go first. */
const AT_A_TIME = 10
const REST_MS = 100
/** Entries that are looked at, pages or not, before visitors' requests get their turn. */
const LOOKED_AT_A_TIME = 1000
/** Most pages that are read; the others are learnt as they are stored again. */
const MOST_READ = 10_000

/** Read what stored pages link to, slowly, after a start: it is kept in memory only. */
export const relearnLinks = async (io: Pick<DeliveryIo, 'store' | 'links' | 'routes'>): Promise<void> => {
  let read = 0
  let looked = 0
  for (const entry of io.store.all()) {
    if (++looked % LOOKED_AT_A_TIME === 0) await setImmediate()
    if (entry.status !== 200 || !isHtml(entry.fields) || isOwnCopy(entry.key)) continue
    const context = contextFor(io as DeliveryIo, entry)
    const target = targetOfKey(entry.key)
    if (context === undefined || io.links.knows(context.route.siteId, target)) continue
    const page = await io.store.body(entry, 'identity')
    if (page !== undefined && !io.links.knows(context.route.siteId, target))
      io.links.note(
        context.route.siteId,
        target,
        linkedPaths(page.toString('utf8', 0, LINKS_WITHIN), keyAddress(entry.key)),
      )
    if (++read === MOST_READ) return
    if (read % AT_A_TIME === 0) await setTimeout(REST_MS, undefined, { ref: false })
  }
}
