import type { PassReason } from '../../core/http/reasons.ts'
import { invalidatedAddresses } from '../../core/http/invalidation.ts'
import { cacheKey } from '../../core/http/cache-key.ts'
import type { DeliveryIo, Exchange } from '../exchange.ts'
import { OriginFailure } from '../origin/origin-client.ts'
import { passedRequestFields } from '../origin/request-fields.ts'
import { hostName } from '../routing.ts'
import { sendFailure } from './send-failure.ts'
import { streamAnswer } from './stream-answer.ts'

/** Whether a request has a body (RFC 9112 §6.3). */
const hasBody = ({ req }: Exchange): boolean =>
  req.headers['transfer-encoding'] !== undefined || Number(req.headers['content-length'] ?? 0) > 0

/**
 * Remove what is stored for an address on every host of a site: live and trial show the same origin, so a change
 * through one is a change for both.
 */
export const invalidate = (io: DeliveryIo, siteId: string, addresses: readonly string[]): void => {
  for (const address of addresses) {
    const { pathname, search } = new URL(address)
    for (const [host, route] of io.routes()) {
      if (route.siteId !== siteId) continue
      for (const scheme of ['http', 'https']) {
        const key = cacheKey(route.partition, scheme, host, pathname + search, route.ignoredParameter)
        io.flights.markPurged((flying) => flying === key)
        io.store.purgeKey(key)
      }
    }
  }
}

/** Send a request on to the origin as it is, and the answer back. */
export const passThrough = async (exchange: Exchange, why: PassReason): Promise<void> => {
  const { io, route, visitor, req, res, method, target, fields } = exchange
  const gone = new AbortController()
  res.once('close', () => {
    if (!res.writableFinished) gone.abort()
  })
  try {
    const answer = await io.origin.fetch({
      base: route.origin.base,
      method,
      target,
      fields: withFraming(exchange, passedRequestFields(fields, route, visitor, io.instance)),
      body: hasBody(exchange) ? req : undefined,
      timeoutMs: route.origin.timeoutMs,
      signal: gone.signal,
    })
    const address = `${visitor.scheme}://${hostName(visitor.host)}${target}`
    // Before the visitor learns of the change, so that the next request cannot see the old page.
    invalidate(
      io,
      route.siteId,
      invalidatedAddresses(method, address, {
        ...answer,
        fields: localLocations(answer.fields, visitor.host),
      }),
    )
    await streamAnswer(exchange, answer, { kind: 'passed', why, status: answer.status })
  } catch (error) {
    if (gone.signal.aborted) return
    sendFailure(exchange, error instanceof OriginFailure ? error.kind : 'broken')
  }
}

/** Transfer-Encoding is for one connection; a body of unknown length gets a new one. */
const withFraming = ({ req }: Exchange, fields: Exchange['fields']): Exchange['fields'] =>
  req.headers['transfer-encoding'] === undefined ? fields : [...fields, ['transfer-encoding', 'chunked']]

/** Location fields compared without port, as keys are. */
const localLocations = (fields: Exchange['fields'], host: string): Exchange['fields'] =>
  fields.map(([name, value]) =>
    name === 'location' || name === 'content-location'
      ? [name, value.replace(`//${host}`, `//${hostName(host)}`)]
      : [name, value],
  )
