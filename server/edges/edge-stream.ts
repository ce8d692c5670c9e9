import type { Context } from 'koa'
import { EdgeOrdersQuery } from '../../core/contracts/edges.ts'
import { inBackground } from '../../core/in-background.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEdges } from './edge-fleet.ts'
import { edgeOfKey, noteSeen } from './own-edges.ts'

/** One that reads so slowly is cut off, and catches up when it comes back, bytes. */
const MOST_UNREAD = 64 * 1024 * 1024

/** What an edge is ordered to do, a line of JSON each, for as long as it listens. */
export const edgeStream =
  (services: HasDatabase & HasEdges & HasClock, onError: (error: unknown) => void) =>
  async (ctx: Context): Promise<void> => {
    const id = await edgeOfKey(services, ctx.get('authorization'))
    const query = EdgeOrdersQuery.parse(ctx.query)
    ctx.respond = false
    const { res } = ctx
    res.writeHead(200, {
      'content-type': 'application/x-ndjson',
      'cache-control': 'no-store',
      'zest-boot': services.edges.boot,
    })
    const leave = services.edges.join(
      id,
      {
        send: (order) => {
          if (res.writableLength > MOST_UNREAD) res.destroy()
          else res.write(`${JSON.stringify(order)}\n`)
        },
        end: () => res.end(),
      },
      query,
    )
    res.once('close', () => {
      leave()
      inBackground(noteSeen(services, id), onError)
    })
  }
