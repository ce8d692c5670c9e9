import type { RequestContext } from './request-context.ts'

/** A page that is not there is not fetched ahead: the origin has work to do for visitors (RFC 9110 §15.6.4). The browser asks again when it is wanted. */
export const sendNotPrefetched = (context: RequestContext): void => {
  const { res, io, route } = context
  io.counters.countRefusedPrefetch(route)
  res.writeHead(503, {
    'content-length': 0,
    'cache-control': 'no-store',
    'cache-status': 'zest-lamp; detail=prefetch-not-stored',
  })
  res.end()
}
