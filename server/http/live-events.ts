import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasStartToken } from './authentication.ts'
import type { HasClock } from '../live/clock.ts'
import type { Context } from 'koa'
import type { LiveEvent } from '../live/event-bus.ts'
import { errors } from '../errors/app-errors.ts'
import { authenticate } from './authentication.ts'

/** Below the half minute after which proxies on the way take a silent connection for dead (common practice). */
const KEEP_ALIVE_MS = 25_000

const toText = (event: LiveEvent): string =>
  `event: ${event.kind}\ndata: ${JSON.stringify(event.kind === 'job' ? event.job : event.changed)}\n\n`

/** Server-sent events (WHATWG HTML §9.2) for every open interface. */
export const liveEvents =
  (services: HasDatabase & HasEvents & HasStartToken & HasClock & HasRecheck) =>
  async (ctx: Context): Promise<void> => {
    if ((await authenticate(ctx, services)) === undefined) throw errors.signInNeeded()
    ctx.respond = false
    ctx.res.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store' })
    ctx.res.write(': hello\n\n')
    const stop = services.events.listen((event) => ctx.res.write(toText(event)))
    const timer = setInterval(() => ctx.res.write(': still here\n\n'), KEEP_ALIVE_MS)
    // Signed out, or the token deleted: what happens from then on is not for this listener.
    const check = setInterval(() => {
      authenticate(ctx, services).then(
        (account) => account === undefined && ctx.res.end(),
        () => ctx.res.end(),
      )
    }, services.recheckMs)
    ctx.res.once('close', () => {
      clearInterval(timer)
      clearInterval(check)
      stop()
    })
  }

export interface HasRecheck {
  /** How often an open stream of events is asked whether its credentials still hold, ms. */
  readonly recheckMs: number
}
