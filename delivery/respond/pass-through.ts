import type { IncomingMessage } from 'node:http'
import type { ServerHttp2Stream } from 'node:http2'
import { Readable } from 'node:stream'
import type { OriginTrouble } from '../../core/http/cache-status.ts'
import { seconds } from '../../core/time.ts'
import { withoutFields, type Fields } from '../../core/http/fields.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import type { PassReason } from '../../core/http/reasons.ts'
import type { RequestContext } from './request-context.ts'
import { LARGEST_UPLOAD_BYTES } from '../request/limits.ts'
import type { RequestContent } from '../fetch/origin-client.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import { passedRequestFields } from '../fetch/origin-request-fields.ts'
import { invalidate } from '../purge/invalidate.ts'
import { translateHosts } from '../fetch/host-rewrite.ts'
import { sendFailure } from './send-failure.ts'
import { sendFromOrigin } from './send-from-origin.ts'
import { throttlePoll, type Poll } from './poll-throttle.ts'
import { streamAnswer } from './stream-response.ts'

/** Whether content of unknown length follows: chunked in HTTP/1.1, a stream that goes on after the fields in HTTP/2 (RFC 9113 §8.1). */
const hasOpenContent = (req: IncomingMessage): boolean => {
  const { stream } = req as IncomingMessage & { readonly stream?: ServerHttp2Stream }
  return req.httpVersionMajor >= 2 ? stream?.endAfterHeaders === false : req.headers['transfer-encoding'] !== undefined
}

/** The content of a request as it was framed for us (RFC 9112 §6.3); how it is framed for the origin is the origin client's to say. */
export const contentOf = (req: IncomingMessage): RequestContent | undefined => {
  const length = req.headers['content-length']
  if (length === undefined) return hasOpenContent(req) ? { stream: req, length: undefined } : undefined
  return Number(length) > 0 ? { stream: req, length: Number(length) } : undefined
}

const contentForOrigin = ({ req }: RequestContext, poll: Poll): RequestContent | undefined => {
  if (poll.kind !== 'asks') return contentOf(req)
  const { body } = poll
  return body.length === 0 ? undefined : { stream: Readable.from([body]), length: body.length }
}

/** An upload larger than allowed is cut off. */
const boundUpload = (req: IncomingMessage): void => {
  let uploaded = 0
  req.on('data', (chunk: Buffer) => {
    uploaded += chunk.length
    if (uploaded > LARGEST_UPLOAD_BYTES) req.destroy()
  })
}

const CONDITIONS = new Set(['if-none-match', 'if-modified-since'])

/**
 * Where pages are shared although the origin forbids storing them, a browser may have the validators of the shared page, and its visitor may have signed in
 * since. An origin that does not reckon with stored pages would say that nothing has changed.
 */
const withoutOurValidators = ({ rule, method, fields }: RequestContext): Fields =>
  rule.overrule !== undefined && isSafeMethod(method) ? withoutFields(fields, CONDITIONS) : fields

/** Send a request on to the origin as it is, and the answer back; polls of open pages only now and then. */
export const passThrough = async (context: RequestContext, why: PassReason): Promise<void> => {
  const { io, route, visitor, req, res, method, target } = context
  const poll = await throttlePoll(context)
  if (poll.kind === 'answered') return streamAnswer(context, poll.answer, { kind: 'hit', ttl: seconds(0) })
  const gone = new AbortController()
  res.once('close', () => {
    if (!res.writableEnded) gone.abort()
  })
  const body = contentForOrigin(context, poll)
  if (body?.stream === req) boundUpload(req)
  io.sessions?.sends(context)
  io.nextPages?.sent(context)
  try {
    const answer = await io.origin.fetch({
      site: route.siteId,
      base: route.origin.base,
      method,
      target,
      fields: passedRequestFields(withoutOurValidators(context), route, visitor, io.instance),
      body,
      timeoutMs: route.origin.timeoutMs,
      lookup: route.origin.lookup,
      signal: gone.signal,
      visitor: visitor.address,
    })
    // Before the visitor learns of the change, so that the next request cannot see the old page.
    invalidate(context, answer)
    if (!isSafeMethod(method)) await io.confirmedEverywhere?.()
    io.edits?.saw(context, answer)
    io.sessions?.saw(context, answer)
    if (why === 'unknown-field') io.varied.learn(context, answer)
    const told = poll.kind === 'asks' ? await poll.keep(answer) : answer
    await sendFromOrigin(context, translateHosts(context, told), { kind: 'passed', why, status: answer.status })
  } catch (error) {
    io.sessions?.lost(context)
    if (gone.signal.aborted) return
    if (!(error instanceof OriginFailure)) throw error
    if (body === undefined && isSafeMethod(method))
      return withoutHome(context, error.kind) ?? sendFailure(context, error.kind)
    sendFailure(context, error.kind)
  }
}

/** Failures of home after which the origin may be asked in its place; where it is only busy, the origin is not asked to do its work. */
const HOME_IS_AWAY: ReadonlySet<OriginTrouble> = new Set(['unreachable', 'timeout', 'broken'])

/** At an edge whose home does not answer: ask the origin itself, and keep nothing of what it says. Undefined where that is not to be done. */
export const withoutHome = (context: RequestContext, why: OriginTrouble): Promise<void> | undefined => {
  const origin = context.route.home?.origin
  if (origin === undefined || !HOME_IS_AWAY.has(why) || context.res.headersSent) return undefined
  return passThrough({ ...context, route: origin }, 'home-away')
}
