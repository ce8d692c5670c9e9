import type { IncomingMessage, ServerResponse } from 'node:http'
import { admit } from '../core/http/admission.ts'
import { fieldLines, fieldsFromRaw } from '../core/http/fields.ts'
import { decideReuse } from '../core/http/reuse.ts'
import { fetchShared, refreshBehind } from './answer/fetch-shared.ts'
import { passThrough } from './answer/pass-through.ts'
import { problemPage } from './answer/problem-page.ts'
import { sendStored } from './answer/send-stored.ts'
import { conditionFor } from '../core/http/reuse.ts'
import { keyOf, type DeliveryIo, type Exchange } from './exchange.ts'
import { hostName } from './routing.ts'

const refuse = (res: ServerResponse, status: number, title: string, sentence: string): void => {
  const body = problemPage(title, sentence)
  res.writeHead(status, {
    'content-type': 'text/html; charset=utf-8',
    'content-length': Buffer.byteLength(body),
    'cache-control': 'no-store',
  })
  res.end(body)
}

/** Path and query of a request target in origin form or absolute form (RFC 9112 §3.2); undefined for any other. */
const originForm = (url: string): string | undefined => {
  if (url.startsWith('/')) return url
  if (!/^https?:\/\//i.test(url) || !URL.canParse(url)) return undefined
  const { pathname, search } = new URL(url)
  return pathname + search
}

/** Answer one request of a visitor. Never rejects: whatever goes wrong, the visitor gets an answer or a cut connection. */
export const deliver = async (req: IncomingMessage, res: ServerResponse, io: DeliveryIo): Promise<void> => {
  const startedAt = io.elapsed()
  const fields = fieldsFromRaw(req.rawHeaders)
  const host = req.headers.host ?? ''
  const target = originForm(req.url ?? '')
  if (target === undefined || fieldLines(fields, 'host').length !== 1)
    return refuse(
      res,
      400,
      'This request cannot be read',
      'The address or the Host field of the request is not well-formed.',
    )
  const route = io.routes().get(hostName(host))
  if (route === undefined)
    return refuse(
      res,
      421,
      'This host is not served here',
      'Zest Lamp knows no site by this name. Connect the site, or check the DNS record.',
    )
  if (req.headers.via?.includes(io.instance))
    return refuse(
      res,
      508,
      'This site points at itself',
      'The origin of this site is Zest Lamp itself. Set the address of the real web server as its origin.',
    )
  const visitor = { address: req.socket.remoteAddress ?? '', host, scheme: 'http' as const }
  const exchange: Exchange = {
    req,
    res,
    io,
    route,
    visitor,
    method: req.method ?? 'GET',
    target,
    fields,
    startedAt,
  }
  try {
    await answer(exchange)
  } catch {
    res.destroy()
  }
}

const answer = (exchange: Exchange): void | Promise<void> => {
  const { route, method, target, fields } = exchange
  const mark = target.indexOf('?')
  const path = mark === -1 ? target : target.slice(0, mark)
  const admission = admit({ method, path, fields }, route.admission)
  return admission.kind === 'pass' ? passThrough(exchange, admission.reason) : answerShared(exchange)
}

const answerShared = async (exchange: Exchange): Promise<void> => {
  const { io, route, fields, visitor } = exchange
  const key = keyOf(exchange, hostName(visitor.host))
  const decision = decideReuse(fields, io.store.candidates(key), route.reuse, io.now())
  switch (decision.kind) {
    case 'reuse': {
      const sending = sendStored(exchange, decision.stored, { kind: 'hit', ttl: decision.ttl }, decision.age)
      if (sending === true || (await sending)) return
      return fetchShared(exchange, { key, reason: 'uri-miss', stale: undefined, condition: [] })
    }
    case 'reuse-stale': {
      const outcome = { kind: 'hit-stale', ttl: decision.ttl, because: decision.allowedBy } as const
      const sent = await sendStored(exchange, decision.stored, outcome, decision.age)
      if (!sent) return fetchShared(exchange, { key, reason: 'uri-miss', stale: undefined, condition: [] })
      return refreshOnce(exchange, key, decision.stored)
    }
    case 'validate':
      return fetchShared(exchange, {
        key,
        reason: 'stale',
        stale: decision.stored,
        condition: decision.condition,
      })
    case 'fetch':
      return fetchShared(exchange, { key, reason: decision.reason, stale: decision.stale, condition: [] })
  }
}

const refreshing = new Set<string>()

/** One refresh per address at a time, however many visitors are given the stale copy. */
const refreshOnce = async (
  exchange: Exchange,
  key: ReturnType<typeof keyOf>,
  stale: Parameters<typeof refreshBehind>[2],
): Promise<void> => {
  if (refreshing.has(key)) return
  refreshing.add(key)
  await refreshBehind(exchange, key, stale, conditionFor(stale)).finally(() => refreshing.delete(key))
}
