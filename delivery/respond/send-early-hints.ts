import type { IncomingMessage } from 'node:http'
import type { ServerHttp2Stream } from 'node:http2'
import { fieldValue } from '../../core/http/fields.ts'
import { connectionOf } from '../request/on-behalf.ts'
import type { RequestContext } from './request-context.ts'

/**
 * The visitor has to wait for the origin: tell the browser meanwhile what the page named the last time (103, RFC 8297). Over HTTP/2 only, as some clients of
 * HTTP/1.1 take the first answer for the last one (§3), and to browsers that open a page: others would fetch nothing.
 */
export const sendEarlyHints = (context: RequestContext): void => {
  const { io, route, method, req, res, fields } = context
  if (!route.earlyHints || method !== 'GET' || connectionOf(req).version < 2) return
  if (fieldValue(fields, 'sec-fetch-mode') !== 'navigate') return
  const link = io.rewriter.earlyHints(context)
  const { stream } = req as IncomingMessage & { readonly stream?: ServerHttp2Stream }
  // A visitor who has gone is no fault of ours.
  if (link.length === 0 || res.headersSent || res.destroyed || stream?.closed === true || stream?.destroyed === true)
    return
  res.writeEarlyHints({ link: [...link] })
  io.counters.countEarlyHints(route)
}
