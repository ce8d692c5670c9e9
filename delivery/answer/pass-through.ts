import type { IncomingMessage } from 'node:http'
import type { ServerHttp2Stream } from 'node:http2'
import { Readable } from 'node:stream'
import { seconds } from '../../core/time.ts'
import type { PassReason } from '../../core/http/reasons.ts'
import type { Exchange } from '../exchange.ts'
import { LARGEST_UPLOAD_BYTES } from '../limits.ts'
import { OriginFailure } from '../origin/origin-client.ts'
import { passedRequestFields } from '../origin/request-fields.ts'
import { invalidate } from './invalidate.ts'
import { keptWithin } from './own-addresses.ts'
import { sendFailure } from './send-failure.ts'
import { sendOn } from './send-on.ts'
import { slowPoll } from './slowed-polls.ts'
import { streamAnswer } from './stream-answer.ts'

/** Whether a body of unknown length follows: chunked in HTTP/1.1, a stream that goes on after the fields in HTTP/2 (RFC 9113 §8.1). */
const hasOpenBody = (req: IncomingMessage): boolean => {
  const { stream } = req as unknown as { stream?: ServerHttp2Stream }
  return req.httpVersionMajor >= 2
    ? stream?.endAfterHeaders === false
    : req.headers['transfer-encoding'] !== undefined
}

/** Whether a request has a body (RFC 9112 §6.3). */
const hasBody = ({ req }: Exchange): boolean =>
  req.headers['content-length'] !== undefined ? Number(req.headers['content-length']) > 0 : hasOpenBody(req)

/** Send a request on to the origin as it is, and the answer back; polls of open pages only now and then. */
export const passThrough = async (exchange: Exchange, why: PassReason): Promise<void> => {
  const { io, route, visitor, req, res, method, target, fields } = exchange
  const poll = await slowPoll(exchange)
  if (poll.kind === 'answered') return streamAnswer(exchange, poll.answer, { kind: 'hit', ttl: seconds(0) })
  const gone = new AbortController()
  res.once('close', () => {
    if (!res.writableEnded) gone.abort()
  })
  let uploaded = 0
  if (poll.kind === 'passes' && hasBody(exchange))
    req.on('data', (chunk: Buffer) => {
      uploaded += chunk.length
      if (uploaded > LARGEST_UPLOAD_BYTES) req.destroy()
    })
  try {
    const answer = await io.origin.fetch({
      base: route.origin.base,
      method,
      target,
      fields: withFraming(exchange, passedRequestFields(fields, route, visitor, io.instance)),
      body: poll.kind === 'asks' ? bodyOf(poll.body) : hasBody(exchange) ? req : undefined,
      timeoutMs: route.origin.timeoutMs,
      signal: gone.signal,
    })
    // Before the visitor learns of the change, so that the next request cannot see the old page.
    invalidate(exchange, answer)
    const told = poll.kind === 'asks' ? await poll.keep(answer) : answer
    await sendOn(exchange, keptWithin(exchange, told), { kind: 'passed', why, status: answer.status })
  } catch (error) {
    if (gone.signal.aborted) return
    sendFailure(exchange, error instanceof OriginFailure ? error.kind : 'broken')
  }
}

const bodyOf = (bytes: Buffer): Readable | undefined =>
  bytes.length === 0 ? undefined : Readable.from([bytes])

/** Framing is for one connection; a body of unknown length gets its own for the next. */
const withFraming = (exchange: Exchange, fields: Exchange['fields']): Exchange['fields'] =>
  exchange.req.headers['content-length'] === undefined && hasOpenBody(exchange.req)
    ? [...fields, ['transfer-encoding', 'chunked']]
    : fields
