import type { IncomingMessage, ServerResponse } from 'node:http'
import { decideCacheBypass, type CacheBypass } from '../../core/cache/cache-bypass.ts'
import { requestWishes } from '../../core/http/request-directives.ts'
import { hasField } from '../../core/http/fields.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import type { ReuseDecision } from '../../core/http/reuse.ts'
import { isOfScript, mayBeForPage, requestPurpose } from '../../core/http/prefetch.ts'
import { FILE } from '../../core/sampling/links.ts'
import { NEXT_PAGES_PATH } from '../../core/prefetch/prefetch-script.ts'
import { lookUp } from '../respond/look-up.ts'
import { fetchShared } from '../respond/fetch-shared.ts'
import { revalidateOnce } from '../fetch/revalidate.ts'
import { contentOf, passThrough } from '../respond/pass-through.ts'
import { problemPage } from '../respond/problem-page.ts'
import { originalPath } from '../../core/page/context/file-facts.ts'
import { sendEarlyHints } from '../respond/send-early-hints.ts'
import { mayBeMade, sendGeneratedAsset } from '../respond/send-generated-asset.ts'
import { sendNotPrefetched } from '../respond/send-not-prefetched.ts'
import { answerFromCopies } from '../respond/answer-from-copies.ts'
import { sendStored } from '../respond/send-stored.ts'
import { cut } from '../respond/write-head.ts'
import { keyOf } from '../cache-keys/partitions.ts'
import type { DeliveryIo, RequestContext } from '../respond/request-context.ts'
import type { BeforeOpening } from '../store/before-opening.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { parseRequest, secureAddress, type Refusal } from '../request/parse-request.ts'
import { trialAccess } from '../request/trial-access.ts'

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

/** RFC 8555 §8.3: over HTTP, whatever the setup says. */
const answerAuthority = (res: ServerResponse, answer: string): void => {
  res.writeHead(200, {
    'content-type': 'application/octet-stream',
    'content-length': Buffer.byteLength(answer),
    'cache-control': 'no-store',
    'cache-status': 'zest-lamp; detail=acme-challenge',
  })
  res.end(answer)
}

const CLOSED: Refusal = {
  status: 403,
  title: 'This is a trial',
  sentence: 'It is not for visitors. Open it with the link from Zest Lamp.',
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
    sentence: `This request could not be answered. Please try again. Log number: ${id}.`,
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
  const reading = parseRequest(req, io)
  if (reading.kind === 'refused') return refuse(res, reading.refusal)
  const door = trialAccess(reading.request)
  if (door.kind === 'closed') return refuse(res, CLOSED)
  if (door.kind === 'let-in') return letIn(res, door)
  const { request } = door
  const { route, path, visitor } = request
  const challenge = route.challenges?.get(path)
  if (challenge !== undefined) return answerAuthority(res, challenge)
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
    edge: request.edge,
    looped: request.looped,
    req,
    res,
    startedAt,
  })
}

/** An address made here stands for a file of the origin, which has the same bytes or better ones. */
const asItCame = (context: RequestContext): RequestContext => {
  if (!mayBeMade(context)) return context
  const target = originalPath(context.path)
  return { ...context, target, path: target }
}

/** The script of an open page asks what may be fetched ahead; that page may be older than the setup, and is never passed on. */
const notYetKnown = ({ req, res }: RequestContext): void => {
  // What it sends is not read, however long it is.
  res.once('finish', () => req.destroy())
  res.writeHead(204, { 'cache-control': 'no-store', 'cache-status': 'zest-lamp; detail=next-pages' })
  res.end()
}

const answer = (context: RequestContext): void | Promise<void> => {
  if (context.io.first !== undefined) return answerFromCopies(context)
  if (context.looped === true) return passThrough(context, 'through-another')
  // What may be fetched ahead is known at home.
  if (context.path === NEXT_PAGES_PATH && context.method === 'POST' && context.route.home === undefined)
    return context.io.nextPages?.answer(context) ?? notYetKnown(context)
  if (context.io.beforeOpening !== undefined) return answerBeforeOpening(context, context.io.beforeOpening)
  if (!mayBeMade(context)) return answerOwn(context)
  return sendGeneratedAsset(context).then((rest) => (rest === 'sent' ? undefined : answerOwn(rest)))
}

/** While the store is being opened: a fresh copy is looked for on the disk, and everything else passes through. */
const answerBeforeOpening = async (context: RequestContext, before: BeforeOpening): Promise<void> => {
  const { io, req, res } = context
  const passes = (): void | Promise<void> =>
    context.route.prefetch !== undefined && isPrefetch(context)
      ? sendNotPrefetched(context)
      : passThrough(asItCame(context), 'store-opening')
  if (mayBeMade(context) || contentOf(req) !== undefined || admitted(context).kind !== 'shared') return passes()
  const key = keyOf(context)
  await before.find(key)
  if (res.destroyed) return
  if (io.beforeOpening === undefined) return answerOwn(context)
  const decision = lookUp(context, key, before.store)
  if (decision.kind !== 'reuse') return passes()
  const sent = await sendStored(context, decision.stored, { kind: 'hit', ttl: decision.ttl }, decision.age)
  return sent ? undefined : passes()
}

/** Who may share the answer. An unusual field that the origin names in Vary is no obstacle: copies are kept apart by it. */
const admitted = (context: RequestContext): CacheBypass => {
  const { io, route } = context
  const bypassRules = decideCacheBypass(context, route.bypassRules, ignoredCookie(context))
  if (bypassRules.kind !== 'pass' || bypassRules.reason !== 'unknown-field') return bypassRules
  const names = io.varied.names(context)
  if (names.length === 0) return bypassRules
  const harmlessField = (name: string): boolean => names.includes(name) || route.bypassRules.harmlessField(name)
  return decideCacheBypass(context, { ...route.bypassRules, harmlessField }, ignoredCookie(context))
}

/** Cookies that count for nothing in this request: by the owner's word, and sessions that hold nothing. */
const ignoredCookie = ({ io, route, rule, fields }: RequestContext): ((name: string) => boolean) => {
  const { sessionCookie } = rule
  if (sessionCookie === undefined || !hasField(fields, 'cookie')) return rule.ignoredCookie
  return io.sessions?.areEmpty({ route, rule, fields }) === true
    ? (name) => rule.ignoredCookie(name) || sessionCookie(name)
    : rule.ignoredCookie
}

/** Whether a session is all that keeps a visitor from sharing the page. */
const passesForSession = (context: RequestContext): boolean => {
  const { route, rule } = context
  const { sessionCookie } = rule
  return (
    sessionCookie !== undefined &&
    decideCacheBypass(context, route.bypassRules, (name) => rule.ignoredCookie(name) || sessionCookie(name)).kind ===
      'shared'
  )
}

const answerOwn = (context: RequestContext): void | Promise<void> => {
  const { route, req } = context
  notePrerendered(context)
  if (route.prefetch !== undefined && isPrefetch(context)) return answerPrefetch({ ...context, purpose: 'prefetch' })
  if (contentOf(req) !== undefined) return passThrough(context, context.method === 'GET' ? 'content' : 'method')
  const bypassRules = admitted(context)
  if (bypassRules.kind !== 'shared' && passesForSession(context)) context.io.sessions?.compare(context)
  switch (bypassRules.kind) {
    case 'pass':
      sendEarlyHints(context)
      return passThrough(context, bypassRules.reason)
    case 'shared':
      return answerStorable(context)
    case 'private':
      return answerStorable({
        ...context,
        rule: route.privateRule,
        audience: { kind: 'one', identity: bypassRules.identity },
      })
  }
}

const answerStorable = (context: RequestContext): void | Promise<void> => {
  const key = keyOf(context)
  const decision = lookUp(context, key)
  if (decision.kind !== 'reuse') return answerOtherwise(context, key, decision)
  const sending = sendStored(context, decision.stored, { kind: 'hit', ttl: decision.ttl }, decision.age)
  if (sending === true) return undefined
  return Promise.resolve(sending).then((sent) => (sent ? undefined : fetchAnew(context, key)))
}

/** Files that are fetched ahead belong to a page that is there; only pages are refused. What a page asks for while it is rendered ahead is no page. */
const isPrefetch = ({ method, path, fields }: RequestContext): boolean => {
  if ((method !== 'GET' && method !== 'HEAD') || FILE.test(path)) return false
  const purpose = requestPurpose(fields)
  return purpose !== 'visit' && mayBeForPage(fields) && !(purpose === 'prerender' && isOfScript(fields))
}

/** A page that is rendered ahead asks for something: it is not rendered ahead again. */
const notePrerendered = (context: RequestContext): void => {
  const { io, route, fields } = context
  if (route.prefetch?.prerender === true && isOfScript(fields) && requestPurpose(fields) === 'prerender')
    io.nextPages?.asks(context)
}

/** A page is fetched ahead only where that costs the origin nothing: from a copy that is fresh for whoever asks. */
const answerPrefetch = async (context: RequestContext): Promise<void> => {
  const { io, route, req } = context
  if (io.nextPages?.isActing(context) === true) return sendNotPrefetched(context)
  const bypassRules = contentOf(req) === undefined ? admitted(context) : ({ kind: 'pass' } as const)
  if (bypassRules.kind === 'pass') return sendNotPrefetched(context)
  const asked: RequestContext =
    bypassRules.kind === 'shared'
      ? context
      : { ...context, rule: route.privateRule, audience: { kind: 'one', identity: bypassRules.identity } }
  const decision = lookUp(asked, keyOf(asked))
  if (decision.kind !== 'reuse') return sendNotPrefetched(context)
  const sent = await sendStored(asked, decision.stored, { kind: 'hit', ttl: decision.ttl }, decision.age)
  return sent ? undefined : sendNotPrefetched(context)
}

/** What was to be sent turned out to be gone or damaged: ask for all of it. */
const fetchAnew = (context: RequestContext, key: CacheKey): Promise<void> =>
  fetchShared(context, { key, reason: 'uri-miss', stale: undefined, condition: [] })

const answerOtherwise = async (
  context: RequestContext,
  key: CacheKey,
  decision: Exclude<ReuseDecision<StoredEntry>, { kind: 'reuse' }>,
): Promise<void> => {
  const { req, res, rule, fields } = context
  if (decision.kind === 'reuse-stale') {
    const outcome = { kind: 'hit-stale', ttl: decision.ttl, because: decision.allowedBy } as const
    const sent = await sendStored(context, decision.stored, outcome, decision.age)
    return sent ? revalidateOnce(context, key, decision.stored) : fetchAnew(context, key)
  }
  // A part is cut from a whole copy; for a part alone no whole file is fetched.
  if (req.headers.range !== undefined) return passThrough(context, 'range')
  if (rule.reuse.obeyRequest === true && requestWishes(fields).onlyIfCached)
    return refuse(res, {
      status: 504,
      title: 'No copy is stored',
      sentence: 'The request asks for a stored copy only (RFC 9111 §5.2.1.7), and there is none that may be used.',
    })
  const { reason } = decision
  sendEarlyHints(context)
  return decision.kind === 'validate'
    ? fetchShared(context, { key, reason, stale: decision.stored, condition: decision.condition })
    : fetchShared(context, { key, reason, stale: decision.stale, condition: [] })
}
