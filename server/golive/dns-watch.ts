import { and, isNotNull, lt } from 'drizzle-orm'
import { dnsStep } from '../../core/golive/steps.ts'
import { inBackground } from '../../core/in-background.ts'
import type { HasDatabase } from '../db/database.ts'
import { goingLive } from '../db/going-live-schema.ts'
import { AppError } from '../errors/app-errors.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { tell } from '../routine/messages.ts'
import { dnsAnswers, type HasDns } from './dns-plans.ts'
import { keepStep } from './going-live.ts'

/** How often resolvers are asked what they see, ms: they remember for minutes at least. */
const ASK_EVERY_MS = 10 * 60_000
const LOOK_MS = 60_000

type WatchIo = HasDatabase & HasDns & HasEvents & HasClock

/** Sites whose DNS was on its way when it was looked last, and not lately. */
const underWay = async ({ db, now }: WatchIo) => {
  const before = new Date(now().getTime() - ASK_EVERY_MS)
  const rows = await db
    .select()
    .from(goingLive)
    .where(and(isNotNull(goingLive.target), lt(goingLive.checkedAt, before)))
  return rows.filter(({ steps }) => steps.some(({ id, state }) => id === 'dns' && state !== 'done'))
}

/** Ask who sees what, for every site that waits for it; the owner is told once everybody sees the new address. */
export const watchDns = async (io: WatchIo): Promise<void> => {
  for (const { siteId, target } of await underWay(io)) {
    const answers = await dnsAnswers(io, siteId, target ?? { addresses: [], alias: null }).catch((error: unknown) => {
      if (error instanceof AppError) return error.message
      throw error
    })
    const step = dnsStep(target, answers)
    await keepStep(io, siteId, step)
    if (step.state !== 'done') continue
    const sentence =
      'The DNS leads here: every name server that was asked shows the new address. See Edges, Going live.'
    await tell(io.db, io.events, siteId, [{ kind: 'dns-leads-here', sentence }], null)
  }
}

/** @returns a function that ends it */
export const startDnsWatch = (io: WatchIo, log: (error: unknown) => void): (() => void) => {
  let busy = false
  const timer = setInterval(() => {
    if (busy) return
    busy = true
    inBackground(
      watchDns(io).finally(() => (busy = false)),
      log,
    )
  }, LOOK_MS)
  timer.unref()
  return () => clearInterval(timer)
}
