import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { bodyParser } from '@koa/bodyparser'
import Koa, { type Context, type Next } from 'koa'
import { errors } from './errors/app-errors.ts'
import { ownNamesOnly } from './net/control-names.ts'
import { interfaceFiles } from './http/interface-files.ts'
import { liveEvents } from './http/live-events.ts'
import { apiRouter } from './http/mount.ts'
import { errorResponse } from './http/problems.ts'
import { accountEndpoints } from './routes/account-routes.ts'
import { checkEndpoints } from './routes/check-routes.ts'
import { jobEndpoints } from './routes/job-routes.ts'
import { measurementEndpoints } from './routes/measurement-routes.ts'
import { routineEndpoints } from './routes/routine-routes.ts'
import { siteEndpoints } from './routes/site-routes.ts'
import { setupEndpoints } from './routes/setup-routes.ts'
import { certificateEndpoints } from './routes/certificate-routes.ts'
import { edgeStream } from './edges/edge-stream.ts'
import { cdnEndpoints } from './routes/cdn-routes.ts'
import { loadTestEndpoints } from './routes/load-test-routes.ts'
import { pictureEndpoints } from './routes/picture-routes.ts'
import { upkeepEndpoints } from './routes/upkeep-routes.ts'
import { serverRulesEndpoints } from './routes/server-rules-routes.ts'
import { regionEndpoints } from './routes/region-routes.ts'
import { edgeEndpoints } from './routes/edge-routes.ts'
import { goingLiveEndpoints } from './routes/going-live-routes.ts'
import { objectsEndpoints } from './routes/objects-routes.ts'
import { plannerEndpoints } from './routes/planner-routes.ts'
import { warmUpEndpoints } from './routes/warm-up-routes.ts'
import { storeEndpoints } from './routes/store-routes.ts'
import { privacyEndpoints } from './routes/privacy-routes.ts'
import { safetyEndpoints } from './routes/safety-routes.ts'
import { trialEndpoints } from './routes/trial-routes.ts'
import type { Services } from './routes/services.ts'

const LIMIT = '1mb'
/** Archives and logs are large by nature. */
const UPLOAD_LIMIT = '32mb'
const UPLOADS = /^\/api\/v1\/sites\/[^/]+\/(archives|access-log)$/
const SIMULATIONS = /^\/api\/v1\/sites\/[^/]+\/planner\/simulations$/

const CHANGE_CALLS = /^\/api\/v1\/sites\/[^/]+\/content-changes\/[^/]+$/

const bodies = (): ((ctx: Context, next: Next) => Promise<void>) => {
  const parser = (jsonLimit: string) =>
    bodyParser({ enableTypes: ['json'], jsonLimit, parsedMethods: ['POST', 'PUT', 'DELETE'] })
  const [usual, uploads] = [parser(LIMIT), parser(UPLOAD_LIMIT)]
  // Content systems write as they are used to; what they write is read as text.
  const anyForm = bodyParser({ enableTypes: ['text'], textLimit: LIMIT, extendTypes: { text: ['*/*'] } })
  return async (ctx, next) => {
    // PostgreSQL keeps no NUL in a text, and no name, path or address has one.
    if (/%00|\0/.test(ctx.url)) throw errors.noPage(ctx.path)
    const isLarge = UPLOADS.test(ctx.path) || SIMULATIONS.test(ctx.path)
    const parse = isLarge ? uploads : CHANGE_CALLS.test(ctx.path) ? anyForm : usual
    await parse(ctx, async () => {
      // In archives it may be part of a file; what is kept of them is looked at when it is kept.
      if (!UPLOADS.test(ctx.path) && ctx.request.rawBody?.includes(String.raw`\u0000`) === true)
        throw errors.nulInText()
      await next()
    })
  }
}

const securityFields = async (ctx: Context, next: Next): Promise<void> => {
  ctx.set({
    'content-security-policy':
      "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
    'x-content-type-options': 'nosniff',
    'referrer-policy': 'same-origin',
  })
  await next()
}

/** All endpoints of the API. */
export const endpointsOf = (services: Services) => [
  ...accountEndpoints(services),
  ...siteEndpoints(services),
  ...checkEndpoints(services),
  ...measurementEndpoints(services),
  ...routineEndpoints(services),
  ...trialEndpoints(services),
  ...privacyEndpoints(services),
  ...safetyEndpoints(services),
  ...setupEndpoints(services),
  ...storeEndpoints(services),
  ...warmUpEndpoints(services),
  ...plannerEndpoints(services),
  ...objectsEndpoints(services),
  ...certificateEndpoints(services),
  ...goingLiveEndpoints(services),
  ...edgeEndpoints(services),
  ...regionEndpoints(services),
  ...loadTestEndpoints(services),
  ...serverRulesEndpoints(services),
  ...upkeepEndpoints(services),
  ...pictureEndpoints(services),
  ...cdnEndpoints(services),
  ...jobEndpoints(services),
]

/** The control application; the order of middleware is written here only. */
export const createApp = (services: Services, webFolder: string, log: (error: unknown) => void): Koa => {
  const app = new Koa()
  // Errors of a connection that broke; those of requests are answered by errorResponse.
  app.silent = true
  const router = apiRouter(endpointsOf(services), services)
  router.get('/live-events', liveEvents(services))
  router.get('/edge-orders', edgeStream(services, log))
  app.use(errorResponse(log))
  app.use(securityFields)
  app.use(ownNamesOnly(services.controlNames))
  app.use(bodies())
  app.use(router.routes())
  app.use(async (ctx, next) => {
    if (ctx.path.startsWith('/api/')) throw errors.noRoute(ctx.method, ctx.path)
    await next()
  })
  if (existsSync(join(webFolder, 'index.html'))) app.use(interfaceFiles(webFolder))
  app.use((ctx) => {
    throw errors.noPage(ctx.path)
  })
  return app
}
