import type { HasDatabase } from '../db/database.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { eq } from 'drizzle-orm'
import { inBackground } from '../../core/in-background.ts'
import type { ScheduledWork } from '../../core/contracts/sites.ts'
import { sites } from '../db/schema.ts'
import { askedSiteOf, askSite } from '../net/asked-site.ts'
import { withLast } from '../store-admin/last-try.ts'
import { siteRow } from '../sites/sites.ts'

/** How often it is looked which sites are due, ms. */
const LOOK_MS = 15_000
const MINUTE_MS = 60_000

type SiteRow = typeof sites.$inferSelect
type Needed = HasDatabase & HasClock & HasEvents

/** Call the address that sets the scheduled work of a site going. Its web server is asked itself, since live would answer from the store. */
export const callScheduledWork = async ({ db, now, events }: Needed, row: SiteRow): Promise<void> => {
  const work = row.scheduledWork
  if (work === null) return
  const site = askedSiteOf(row)
  const problem = await askSite(site, work.path).then(
    ({ status }) => (status < 400 ? null : `${work.path} answered with status ${status}.`),
    (error: Error) => error.message,
  )
  const last = { at: now().toISOString(), problem }
  await db
    .update(sites)
    // Only this: the owner may have said something else meanwhile.
    .set({ scheduledWork: withLast(sites.scheduledWork, last) })
    .where(eq(sites.id, row.id))
  if (work.last === null || work.last.problem !== problem) events.changed(row.id, 'site')
}

const isDue = ({ scheduledWork }: SiteRow, now: Date): boolean =>
  scheduledWork !== null &&
  (scheduledWork.last === null ||
    now.getTime() - Date.parse(scheduledWork.last.at) >= scheduledWork.everyMinutes * MINUTE_MS)

/** @returns a function that ends it */
export const startScheduledWork = (services: Needed, log: (error: unknown) => void): (() => void) => {
  // One round after the other: a site that answers slowly must not be called twice at a time.
  let busy = false
  const round = async (): Promise<void> => {
    for (const row of await services.db.select().from(sites))
      if (isDue(row, services.now())) await callScheduledWork(services, row).catch(log)
  }
  const timer = setInterval(() => {
    if (busy) return
    busy = true
    inBackground(
      round().finally(() => (busy = false)),
      log,
    )
  }, LOOK_MS)
  timer.unref()
  return () => clearInterval(timer)
}

/** Say which address is called how often, and call it once; null: none is. @throws AppError NOT_FOUND */
export const saveScheduledWork = async (
  services: HasDatabase & HasEvents & HasClock,
  siteId: string,
  work: ScheduledWork | null,
): Promise<void> => {
  const row = await siteRow(services.db, siteId)
  const scheduledWork = work === null ? null : { ...work, last: null }
  await services.db.update(sites).set({ scheduledWork }).where(eq(sites.id, siteId))
  await callScheduledWork(services, { ...row, scheduledWork })
  services.events.changed(siteId, 'site')
}
