import { isNotNull } from 'drizzle-orm'
import type { HasDatabase } from '../db/database.ts'
import { serverPages } from '../db/server-rules-schema.ts'
import { AppError } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { changeServerPages, orderServerPages, serverPagesRow } from './server-pages.ts'

const LOOK_MS = 60_000
const RETRY_MS = 600_000
/** Purges and events commonly come several at a time. */
const TOGETHER_MS = 1000
/** Changed paths that are written first. */
const MOST_WAITING = 500

type Needed = HasDatabase & HasJobs & HasClock & HasEvents

/** What cannot be ordered now is looked at again the next time. */
const orderIfPossible = async (needed: Needed, siteId: string): Promise<void> => {
  await orderServerPages(needed, siteId, 'write', 'Zest Lamp').catch((error: unknown) => {
    if (!(error instanceof AppError)) throw error
  })
}

type Row = Awaited<ReturnType<typeof serverPagesRow>>

/** Whether a site keeps files of its pages: they were written, and not removed since. */
const keepsFiles = ({ last }: Row): boolean => last?.what === 'write'

const isDue = (row: Row, now: Date): boolean => {
  const { settings, last, waiting } = row
  if (!keepsFiles(row) || last === null) return false
  const sinceMs = now.getTime() - Date.parse(last.at)
  // What failed a moment ago would most likely fail again.
  if (waiting !== null && (last.problem === null || sinceMs >= RETRY_MS)) return true
  return settings.everyMinutes !== null && sinceMs >= settings.everyMinutes * 60_000
}

/** Compare with the site again whatever is due. Files that were removed stay away until the owner has them written again. */
export const orderDueServerPages = async (needed: Needed): Promise<void> => {
  for (const row of await needed.db.select().from(serverPages).where(isNotNull(serverPages.last)))
    if (isDue(row, needed.now())) await orderIfPossible(needed, row.siteId)
}

/** Behind a purge or a change of content, wherever it was told. @param paths that are known to be old */
export const afterChange = async (needed: Needed, siteId: string, paths: readonly string[]): Promise<void> => {
  const row = await serverPagesRow(needed.db, siteId)
  if (!keepsFiles(row)) return
  const waiting = [...new Set([...(row.waiting ?? []), ...paths])].slice(0, MOST_WAITING)
  await changeServerPages(needed.db, siteId, { waiting })
  await orderIfPossible(needed, siteId)
}

/** @returns a function that ends it, once what is under way is done */
export const startServerPages = (needed: Needed, log: (error: unknown) => void): (() => Promise<void>) => {
  let last = Promise.resolve()
  const then = (act: () => Promise<void>): void => void (last = last.then(act).catch(log))
  const timers = new Set<NodeJS.Timeout>()
  const told = new Map<string, string[]>()
  const stopListening = needed.events.listenToStore(({ siteId, what, paths }) => {
    if (what === 'published') return
    const before = told.get(siteId)
    told.set(siteId, [...(before ?? []), ...paths])
    if (before !== undefined) return
    const timer = setTimeout(() => {
      timers.delete(timer)
      const all = told.get(siteId) ?? []
      told.delete(siteId)
      then(() => afterChange(needed, siteId, all))
    }, TOGETHER_MS)
    timers.add(timer)
  })
  const timer = setInterval(() => then(() => orderDueServerPages(needed)), LOOK_MS)
  timer.unref()
  return async () => {
    stopListening()
    clearInterval(timer)
    for (const one of timers) clearTimeout(one)
    await last
  }
}
