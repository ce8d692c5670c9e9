import type { HasDatabase } from '../db/database.ts'
import type { HasStartToken } from './authentication.ts'
import type { HasClock } from '../live/clock.ts'
import { Router } from '@koa/router'
import type { Context } from 'koa'
import { errors } from '../errors/app-errors.ts'
import { authenticate } from './authentication.ts'
import type { Endpoint } from './endpoint.ts'
import { describeApi } from './openapi.ts'

/** @koa/bodyparser leaves a body it does not know as undefined; `body` is read only where a schema asks for it. */
const bodyOf = (ctx: Context): unknown => (ctx.request as { body?: unknown }).body

const answer =
  ({ input, access, handle, reply, status }: Endpoint, services: HasDatabase & HasStartToken & HasClock) =>
  async (ctx: Context & { readonly params?: unknown }): Promise<void> => {
    const account = await authenticate(ctx, services)
    if (access === 'account' && account === undefined) throw errors.signInNeeded()
    const result = await handle({
      params: input.params?.parse(ctx.params),
      query: input.query?.parse(ctx.query),
      body: input.body?.parse(bodyOf(ctx)),
      account,
      ctx,
    })
    if (ctx.respond === false) return
    ctx.status = status
    ctx.set('cache-control', 'no-store')
    if (reply !== undefined) ctx.body = reply.parse(result)
  }

/** All endpoints and their description under /api/v1. */
export const apiRouter = (endpoints: readonly Endpoint[], services: HasDatabase & HasStartToken & HasClock): Router => {
  const router = new Router({ prefix: '/api/v1' })
  // Made when it is first asked for: describing every schema takes longer than the rest of a start.
  let description: unknown
  router.get('/openapi.json', (ctx) => {
    ctx.body = description ??= describeApi(endpoints)
  })
  for (const endpoint of endpoints) router[endpoint.method](endpoint.path, answer(endpoint, services))
  return router
}
