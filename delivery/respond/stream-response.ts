import type { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { ABOUT_BYTES } from '../../core/http/about-bytes.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { endToEndFields, fieldValue, hasField, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { isCompressible, negotiateCoding } from '../../core/http/negotiation.ts'
import { type RequestContext, countWhenDone } from './request-context.ts'
import type { OriginAnswer } from '../fetch/origin-client.ts'
import { encodeStream } from '../fetch/content-coding.ts'
import { closingFields, flat, varyBy, withBrowserLifetime, withDate, withFilesForOthers } from './response-fields.ts'
import { isStream } from '../../core/http/streams.ts'
import { cut, withoutIdleLimit, writeHead } from './write-head.ts'

/** What is not true of bytes that are coded on the way. */
const NOT_OF_CODED = new Set(['accept-ranges', ...ABOUT_BYTES])

const WITHOUT_BODY = new Set([204, 205, 304])

/** The coding to apply on the way through, or identity. */
const codingFor = (context: RequestContext, answer: OriginAnswer): 'br' | 'gzip' | 'identity' => {
  const { route, method, req } = context
  const { status, fields } = answer
  const length = Number(fieldValue(fields, 'content-length') ?? Number.POSITIVE_INFINITY)
  const wholeBody = method !== 'HEAD' && status !== 206 && !WITHOUT_BODY.has(status)
  const untouched =
    !hasField(fields, 'content-encoding') && !parseDirectives(fieldValue(fields, 'cache-control')).has('no-transform')
  if (!wholeBody || !untouched || length < route.leastCompressedBytes) return 'identity'
  return negotiateCoding(req.headers['accept-encoding'], route.codings)
}

/** A strong tag names exact bytes, which coding on the way changes; weak says what is still true (RFC 9110 §8.8.1). */
const weaken = (fields: Fields): Fields => {
  const tag = fieldValue(fields, 'etag')
  return tag === undefined || tag.startsWith('W/') ? fields : withField(fields, 'etag', `W/${tag}`)
}

/** Fields of an answer that goes through without being stored. */
const streamedFields = (context: RequestContext, answer: OriginAnswer, coding: string, shared: boolean): Fields => {
  const { route, io } = context
  const lived = withBrowserLifetime(endToEndFields(answer.fields), answer.status, context, shared)
  let fields = withFilesForOthers(lived, context)
  if (route.codings.length > 0 && isCompressible(fieldValue(fields, 'content-type')))
    fields = varyBy(fields, 'accept-encoding')
  if (coding !== 'identity') fields = withField(weaken(withoutFields(fields, NOT_OF_CODED)), 'content-encoding', coding)
  return withDate(fields, io.now())
}

/**
 * Send an answer of the origin on as it arrives, coded on the way where that gains.
 * @param body the answer's body, or what is left of it after some was read
 * @param shared whether the answer is the same for every visitor
 */
export const streamAnswer = async (
  context: RequestContext,
  answer: OriginAnswer,
  outcome: Outcome,
  { body = answer.body, shared = false }: { body?: Readable; shared?: boolean } = {},
): Promise<void> => {
  const { res, method } = context
  const compressible = isCompressible(fieldValue(answer.fields, 'content-type'))
  const coding = compressible ? codingFor(context, answer) : 'identity'
  const fields = closingFields(streamedFields(context, answer, coding, shared), context, outcome)
  writeHead(res, answer.status, flat(fields), answer.statusText)
  // Events may be hours apart; the connection is theirs for as long as both ends want it.
  if (isStream(answer.fields)) withoutIdleLimit(res)
  let bytes = 0
  countWhenDone(context, outcome, () => bytes, { page: isHtml(answer.fields) })
  if (method === 'HEAD' || WITHOUT_BODY.has(answer.status)) {
    body.resume()
    res.end()
    return
  }
  body.on('data', (chunk: Buffer) => (bytes += chunk.length))
  body.pause()
  // An origin that breaks off half way must not look like a complete answer: pipeline destroys the visitor's connection.
  const through = coding === 'identity' ? pipeline(body, res) : pipeline(body, encodeStream(coding), res)
  await through.catch(() => cut(res))
}
