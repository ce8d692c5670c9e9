import type { IncomingMessage } from 'node:http'
import type { ServerHttp2Stream } from 'node:http2'
import { Readable } from 'node:stream'
import { seconds } from '../../core/time.ts'
import { withoutFields, type Fields } from '../../core/http/fields.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import type { PassReason } from '../../core/http/reasons.ts'
import type { Exchange } from '../exchange.ts'
import { LARGEST_UPLOAD_BYTES } from '../limits.ts'
import type { RequestContent } from '../origin/origin-client.ts'
import { OriginFailure } from '../origin/origin-failure.ts'
import { passedRequestFields } from '../origin/request-fields.ts'
import { invalidate } from './invalidate.ts'
import { keptWithin } from './own-addresses.ts'
import { sendFailure } from './send-failure.ts'
import { sendOn } from './send-on.ts'
import { slowPoll, type Poll } from './slowed-polls.ts'
import { streamAnswer } from './stream-answer.ts'

/** Whether content of unknown length follows: chunked in HTTP/1.1, a stream that goes on after the fields in HTTP/2 (RFC 9113 §8.1). */
const hasOpenContent = (req: IncomingMessage): boolean => {
  const { stream } = req as unknown as { stream?: ServerHttp2Stream }
  return req.httpVersionMajor >= 2 ? stream?.endAfterHeaders === false : req.headers['transfer-encoding'] !== undefined
}

/** The content of a request as it was framed for us (RFC 9112 §6.3); how it is framed for the origin is the origin client's to say. */
export const contentOf = (req: IncomingMessage): RequestContent | undefined => {
  const length = req.headers['content-length']
  if (length === undefined) return hasOpenContent(req) ? { stream: req, length: undefined } : undefined
  return Number(length) > 0 ? { stream: req, length: Number(length) } : undefined
}

const contentForOrigin = ({ req }: Exchange, poll: Poll): RequestContent | undefined => {
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
const withoutOurValidators = ({ rule, method, fields }: Exchange): Fields =>
  rule.overrule !== undefined && isSafeMethod(method) ? withoutFields(fields, CONDITIONS) : fields

/** Send a request on to the origin as it is, and the answer back; polls of open pages only now and then. */
export const passThrough = async (exchange: Exchange, why: PassReason): Promise<void> => {
  const { io, route, visitor, req, res, method, target } = exchange
  const poll = await slowPoll(exchange)
  if (poll.kind === 'answered') return streamAnswer(exchange, poll.answer, { kind: 'hit', ttl: seconds(0) })
  const gone = new AbortController()
  res.once('close', () => {
    if (!res.writableEnded) gone.abort()
  })
  const body = contentForOrigin(exchange, poll)
  if (body?.stream === req) boundUpload(req)
  io.sessions?.sends(exchange)
  try {
    const answer = await io.origin.fetch({
      site: route.siteId,
      base: route.origin.base,
      method,
      target,
      fields: passedRequestFields(withoutOurValidators(exchange), route, visitor, io.instance),
      body,
      timeoutMs: route.origin.timeoutMs,
      lookup: route.origin.lookup,
      signal: gone.signal,
      visitor: visitor.address,
    })
    // Before the visitor learns of the change, so that the next request cannot see the old page.
    invalidate(exchange, answer)
    io.edits?.saw(exchange, answer)
    io.sessions?.saw(exchange, answer)
    if (why === 'unknown-field') io.varied.learn(exchange, answer)
    const told = poll.kind === 'asks' ? await poll.keep(answer) : answer
    await sendOn(exchange, keptWithin(exchange, told), { kind: 'passed', why, status: answer.status })
  } catch (error) {
    io.sessions?.lost(exchange)
    if (gone.signal.aborted) return
    if (!(error instanceof OriginFailure)) throw error
    sendFailure(exchange, error.kind)
  }
}
