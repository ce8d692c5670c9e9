import { createHash } from 'node:crypto'
import { ABOUT_BYTES } from '../../core/http/about-bytes.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import { isNotModified } from '../../core/http/conditional.ts'
import { withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { negotiateCoding } from '../../core/http/negotiation.ts'
import { type RequestContext, countWhenDone } from './request-context.ts'
import { encode } from '../fetch/content-coding.ts'
import { closingFields, flat, varyBy } from './response-fields.ts'
import { writeHead } from './write-head.ts'

/** Fields about other bytes than the ones that are sent. */
const ABOUT_OTHER_BYTES = new Set(['content-encoding', 'accept-ranges', 'last-modified', 'etag', ...ABOUT_BYTES])

/**
 * Send a page that was put together for this request and is kept nowhere.
 * @param fields of the answer, without those that were about other bytes
 */
export const sendPage = async (
  context: RequestContext,
  answer: { readonly status: number; readonly fields: Fields },
  page: Buffer,
  outcome: Outcome,
  savedMs = 0,
): Promise<void> => {
  const { res, req, route, io, method } = context
  const coding =
    page.length >= route.leastCompressedBytes
      ? negotiateCoding(req.headers['accept-encoding'], route.codings)
      : 'identity'
  const body = await encode(page, coding)
  // Weak: two codings of it share the tag (RFC 9110 §8.8.1).
  const etag = `W/"zl-${createHash('sha256').update(page).digest('base64url').slice(0, 22)}"`
  const unchanged = answer.status === 200 && isNotModified(context.fields, { etag, lastModified: undefined }, io.now())
  let fields = withField(withoutFields(answer.fields, ABOUT_OTHER_BYTES), 'etag', etag)
  if (route.codings.length > 0) fields = varyBy(fields, 'accept-encoding')
  if (!unchanged && coding !== 'identity') fields = withField(fields, 'content-encoding', coding)
  if (!unchanged) fields = withField(fields, 'content-length', String(body.length))
  writeHead(res, unchanged ? 304 : answer.status, flat(closingFields(fields, context, outcome)))
  const sent = !unchanged && method !== 'HEAD'
  countWhenDone(context, outcome, () => (sent ? body.length : 0), { page: true, savedMs })
  res.end(sent ? body : undefined)
}
