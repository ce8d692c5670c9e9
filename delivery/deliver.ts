import type { IncomingMessage, ServerResponse } from 'node:http'
import { admit, type Admission } from '../core/http/admission.ts'
import { requestWishes } from '../core/http/request-directives.ts'
import { hasField } from '../core/http/fields.ts'
import type { CacheKey } from '../core/http/cache-key.ts'
import { decideReuse, type ReuseDecision } from '../core/http/reuse.ts'
import { fetchShared } from './answer/fetch-shared.ts'
import { refreshOnce } from './answer/refresh.ts'
import { contentOf, passThrough } from './answer/pass-through.ts'
import { problemPage } from './answer/problem-page.ts'
import { originalPath } from '../core/page/files.ts'
import { mayBeMade, sendMade } from './answer/send-made.ts'
import { sendStored } from './answer/send-stored.ts'
import { cut } from './answer/write-head.ts'
import { keyOf, storeOf, type DeliveryIo, type Exchange } from './exchange.ts'
import type { BeforeOpening } from './store/before-opening.ts'
import type { StoredEntry } from './store/response-store.ts'
import { readRequest, secureAddress, type Refusal } from './reading.ts'
import { trialDoor } from './trial-door.ts'

const EVERYONE = { kind: 'everyone' } as const

const refuse = (res: ServerResponse, { status, title, sentence }: Refusal): void => {
  const body = problemPage(title, sentence)
  res.writeHead(status, {
    'content-type': 'text/html; charset=utf-8',
    'content-length': Buffer.byteLength(body),
    'cache-control': 'no-store',
    'x-robots-tag': 'noindex',
    'cache-status': 'zest-lamp; detail=refused',
    // What comes after a body that is not read cannot be told from it.
    ...(status === 413 && res.req.httpVersionMajor < 2 ? { connection: 'close' } : {}),
  })
  res.end(body)
}

/** RFC 9110 §15.4.9: 308 keeps the method, so that a form that is sent does not turn into a visit. */
const redirect = (res: ServerResponse, location: string): void => {
  res.writeHead(308, {
    location,
    'content-length': 0,
    'cache-control': 'no-cache',
    'cache-status': 'zest-lamp; detail=redirect-to-https',
  })
  res.end()
}

const CLOSED: Refusal = {
  status: 403,
  title: 'This is a trial',
  sentence: 'It is not for visitors. Open it from Zest Lamp, which gives you its key.',
}

/** The key goes into a cookie and out of the address, so that it is not in what is copied from there. */
const letIn = (res: ServerResponse, { location, cookie }: { location: string; cookie: string }): void => {
  res.writeHead(303, {
    location,
    'set-cookie': cookie,
    'content-length': 0,
    'cache-control': 'no-store',
    'referrer-policy': 'no-referrer',
    'x-robots-tag': 'noindex',
    'cache-status': 'zest-lamp; detail=trial-key',
  })
  res.end()
}

/** Something of ours went wrong: the visitor gets an answer or a cut connection, the log gets the reason, and everybody else goes on being served. */
const giveUp = (error: unknown, req: IncomingMessage, res: ServerResponse, io: DeliveryIo): void => {
  const id = io.report(error, { method: req.method, target: req.url, host: req.headers.host })
  if (res.headersSent) return cut(res)
  refuse(res, {
    status: 500,
    title: 'Something went wrong here',
    sentence: `This request could not be answered. Please try again. Its number in the log is ${id}.`,
  })
}

/**
 * Answer one request of a visitor. Never throws, and nothing that it begins is left to throw: this is the one guard around everything that a
 * visitor can reach.
 */
export const deliver = (req: IncomingMessage, res: ServerResponse, io: DeliveryIo): void => {
  try {
    // A stored page is answered within this turn of the event loop, without a promise.
    const answering = begin(req, res, io)
    if (answering !== undefined) answering.catch((error: unknown) => giveUp(error, req, res, io))
  } catch (error) {
    giveUp(error, req, res, io)
  }
}

const begin = (req: IncomingMessage, res: ServerResponse, io: DeliveryIo): void | Promise<void> => {
  const startedAt = io.elapsed()
  const reading = readRequest(req, io)
  if (reading.kind === 'refused') return refuse(res, reading.refusal)
  const door = trialDoor(reading.request)
  if (door.kind === 'closed') return refuse(res, CLOSED)
  if (door.kind === 'let-in') return letIn(res, door)
  const { request } = door
  const { route, path, visitor } = request
  if (route.redirectToHttps && visitor.scheme === 'http') return redirect(res, secureAddress(request, io))
  // Written out: an object that is spread together costs as much as the rest of the answer.
  return answer({
    io,
    route,
    visitor,
    method: request.method,
    target: request.target,
    path,
    fields: request.fields,
    rule: route.ruleFor(path),
    audience: EVERYONE,
    req,
    res,
    startedAt,
  })
}

/** An address made here stands for a file of the origin, which has the same bytes or better ones. */
const asItCame = (exchange: Exchange): Exchange => {
  if (!mayBeMade(exchange)) return exchange
  const target = originalPath(exchange.path)
  return { ...exchange, target, path: target }
}

const answer = (exchange: Exchange): void | Promise<void> => {
  if (exchange.io.beforeOpening !== undefined) return answerBeforeOpening(exchange, exchange.io.beforeOpening)
  if (!mayBeMade(exchange)) return answerOwn(exchange)
  return sendMade(exchange).then((rest) => (rest === 'sent' ? undefined : answerOwn(rest)))
}

/** While the store is being opened: a fresh copy is looked for on the disk, and everything else passes through. */
const answerBeforeOpening = async (exchange: Exchange, before: BeforeOpening): Promise<void> => {
  const { io, req, rule, fields, res } = exchange
  const passes = (): Promise<void> => passThrough(asItCame(exchange), 'store-opening')
  if (mayBeMade(exchange) || contentOf(req) !== undefined || admitted(exchange).kind !== 'shared') return passes()
  const key = keyOf(exchange)
  await before.find(key)
  if (res.destroyed) return
  if (io.beforeOpening === undefined) return answerOwn(exchange)
  const decision = decideReuse(fields, before.store.candidates(key), rule.reuse, io.now())
  if (decision.kind !== 'reuse') return passes()
  const sent = await sendStored(exchange, decision.stored, { kind: 'hit', ttl: decision.ttl }, decision.age)
  return sent ? undefined : passes()
}

/** Who may share the answer. An unusual field that the origin names in Vary is no obstacle: copies are kept apart by it. */
const admitted = (exchange: Exchange): Admission => {
  const { io, route } = exchange
  const admission = admit(exchange, route.admission, ignoredCookie(exchange))
  if (admission.kind !== 'pass' || admission.reason !== 'unknown-field') return admission
  const names = io.varied.names(exchange)
  if (names.length === 0) return admission
  const harmlessField = (name: string): boolean => names.includes(name) || route.admission.harmlessField(name)
  return admit(exchange, { ...route.admission, harmlessField }, ignoredCookie(exchange))
}

/** Cookies that count for nothing in this request: by the owner's word, and sessions that hold nothing. */
const ignoredCookie = ({ io, route, rule, fields }: Exchange): ((name: string) => boolean) => {
  const { sessionCookie } = rule
  if (sessionCookie === undefined || !hasField(fields, 'cookie')) return rule.ignoredCookie
  return io.sessions?.areEmpty({ route, rule, fields }) === true
    ? (name) => rule.ignoredCookie(name) || sessionCookie(name)
    : rule.ignoredCookie
}

/** Whether a session is all that keeps a visitor from sharing the page. */
const passesForSession = (exchange: Exchange): boolean => {
  const { route, rule } = exchange
  const { sessionCookie } = rule
  return (
    sessionCookie !== undefined &&
    admit(exchange, route.admission, (name) => rule.ignoredCookie(name) || sessionCookie(name)).kind === 'shared'
  )
}

const answerOwn = (exchange: Exchange): void | Promise<void> => {
  const { route, req } = exchange
  if (contentOf(req) !== undefined) return passThrough(exchange, exchange.method === 'GET' ? 'content' : 'method')
  const admission = admitted(exchange)
  if (admission.kind !== 'shared' && passesForSession(exchange)) exchange.io.sessions?.compare(exchange)
  switch (admission.kind) {
    case 'pass':
      return passThrough(exchange, admission.reason)
    case 'shared':
      return answerStorable(exchange)
    case 'private':
      return answerStorable({
        ...exchange,
        rule: route.privateRule,
        audience: { kind: 'one', identity: admission.identity },
      })
  }
}

const answerStorable = (exchange: Exchange): void | Promise<void> => {
  const { io, rule, fields } = exchange
  const key = keyOf(exchange)
  const decision = decideReuse(fields, storeOf(exchange).candidates(key), rule.reuse, io.now())
  if (decision.kind !== 'reuse') return answerOtherwise(exchange, key, decision)
  const sending = sendStored(exchange, decision.stored, { kind: 'hit', ttl: decision.ttl }, decision.age)
  if (sending === true) return undefined
  return Promise.resolve(sending).then((sent) => (sent ? undefined : fetchAnew(exchange, key)))
}

/** What was to be sent turned out to be gone or damaged: ask for all of it. */
const fetchAnew = (exchange: Exchange, key: CacheKey): Promise<void> =>
  fetchShared(exchange, { key, reason: 'uri-miss', stale: undefined, condition: [] })

const answerOtherwise = async (
  exchange: Exchange,
  key: CacheKey,
  decision: Exclude<ReuseDecision<StoredEntry>, { kind: 'reuse' }>,
): Promise<void> => {
  const { req, res, rule, fields } = exchange
  if (decision.kind === 'reuse-stale') {
    const outcome = { kind: 'hit-stale', ttl: decision.ttl, because: decision.allowedBy } as const
    const sent = await sendStored(exchange, decision.stored, outcome, decision.age)
    return sent ? refreshOnce(exchange, key, decision.stored) : fetchAnew(exchange, key)
  }
  // A part is cut from a whole copy; for a part alone no whole file is fetched.
  if (req.headers.range !== undefined) return passThrough(exchange, 'range')
  if (rule.reuse.obeyRequest === true && requestWishes(fields).onlyIfCached)
    return refuse(res, {
      status: 504,
      title: 'No copy is stored',
      sentence: 'The request asks for a stored copy only (RFC 9111 §5.2.1.7), and there is none that may be used.',
    })
  const { reason } = decision
  return decision.kind === 'validate'
    ? fetchShared(exchange, { key, reason, stale: decision.stored, condition: decision.condition })
    : fetchShared(exchange, { key, reason, stale: decision.stale, condition: [] })
}
