import { createHash } from 'node:crypto'
import { LRUCache } from 'lru-cache'
import { inBackground } from '../../core/in-background.ts'
import { cookiePairs } from '../../core/cache/cache-bypass.ts'
import { fieldLines } from '../../core/http/fields.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import { LARGEST_PAGE_BYTES } from '../../core/page/document/largest-page.ts'
import { settledHtml } from '../../core/page/document/settled-html.ts'
import { askOrigin } from '../fetch/ask-origin.ts'
import { readBody } from '../fetch/read-body.ts'
import { contentOf } from '../respond/pass-through.ts'
import { keyOf } from '../cache-keys/partitions.ts'
import type { DeliveryIo, RequestContext } from '../respond/request-context.ts'
import type { OriginAnswer } from '../fetch/origin-client.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import type { PathRule, Route } from '../request/routes.ts'
import { upTo } from '../../core/http/up-to.ts'

/** A cookie that stands for a session. */
type Pair = readonly [name: string, value: string]

/** What is known of one session that was seen to begin. */
interface Session {
  /** Rules under which a page was the same with it and without. */
  readonly emptyFor: Set<PathRule>
  /** Raised when a request may have put something into it: a comparison that was under way then says nothing. */
  turn: number
  comparisons: number
}

const EVERYONE = { kind: 'everyone' } as const
/** Sessions that are remembered; those of visitors who have not come for longest pass, which is safe. */
const MOST_SESSIONS = 50_000
/** Comparisons at the same time: each asks the origin twice. */
const MOST_COMPARING = 4
/** Comparisons for one session: where scripts of pages go on asking for something else, nothing stays proved for long. */
const MOST_COMPARISONS = 8

/**
 * Sessions that hold nothing yet. Many sites give one to whoever looks at any page; as long as nothing is in it, its visitor may share pages with those
 * who have none. A session counts only if it was seen to begin, in an answer to a request that did nothing, and if a page of the kind in question is the
 * same with it and without. Whatever its visitor sends ends that for good. Kept in memory only: after a restart, sessions pass.
 */
export class EmptySessions {
  readonly #io: DeliveryIo
  readonly #known = new LRUCache<string, Session>({ max: MOST_SESSIONS })
  readonly #comparing = new Set<Session>()

  constructor(io: DeliveryIo) {
    this.#io = io
  }

  /** Whether all session cookies of a request are of sessions that hold nothing, for pages of its rule. */
  areEmpty({ route, rule, fields }: Pick<RequestContext, 'route' | 'rule' | 'fields'>): boolean {
    return pairsIn(cookiePairs(fields), rule.sessionCookie).every(
      (pair) => this.#known.get(idOf(route, pair))?.emptyFor.has(rule) === true,
    )
  }

  /** A request goes to the origin: what it sends may be carried out, whether an answer comes or not. */
  sends(context: RequestContext): void {
    if (context.route.sessionCookie !== undefined && isSending(context)) this.#forgetAll(context)
  }

  /** No answer to a request has come, or nobody was there for it: what the origin did is not known. */
  lost(request: Pick<RequestContext, 'route' | 'fields'>): void {
    if (request.route.sessionCookie !== undefined) this.#forgetAll(request)
  }

  #forgetAll({ route, fields }: Pick<RequestContext, 'route' | 'fields'>): void {
    for (const pair of pairsIn(cookiePairs(fields), route.sessionCookie)) {
      const session = this.#known.get(idOf(route, pair))
      // A comparison that is under way must not bring it back.
      if (session !== undefined) session.turn++
      this.#known.delete(idOf(route, pair))
    }
  }

  /** The origin answered a request that came with all its cookies, and the visitor gets the cookies of the answer. */
  saw(context: RequestContext, answer: Pick<OriginAnswer, 'status' | 'fields'>): void {
    const { route, rule, fields, target, path } = context
    if (route.sessionCookie === undefined) return
    const had = pairsIn(cookiePairs(fields), route.sessionCookie)
    const given = pairsIn(cookiesSet(answer), route.sessionCookie)
    if (had.length === 0 && answer.status === 200 && !isAction(context, answer))
      for (const pair of given) this.#known.set(idOf(route, pair), { emptyFor: new Set(), turn: 0, comparisons: 0 })
    const isReplaced = given.some(([name, value]) => !had.some(([n, v]) => n === name && v === value))
    // An address may be an order too: what is not a plain page of these kinds may have put something in.
    const isPlainPage =
      target.length === path.length && rule.sessionCookie !== undefined && !route.bypassRules.passesPath(path)
    for (const pair of had) {
      const session = this.#known.get(idOf(route, pair))
      if (session === undefined) continue
      if (isReplaced || isAction(context, answer)) this.#known.delete(idOf(route, pair))
      else if (!isPlainPage) session.emptyFor.clear()
      if (isReplaced || !isPlainPage) session.turn++
    }
  }

  /**
   * A visitor asks for a page with a session that was seen to begin: find out, behind them, whether it holds anything. Those for whom it does are not
   * compared again.
   */
  compare(context: RequestContext): void {
    const { route, rule, fields } = context
    const pairs = pairsIn(cookiePairs(fields), rule.sessionCookie)
    const sessions = pairs.map((pair) => this.#known.get(idOf(route, pair)))
    const [session] = sessions
    const [pair] = pairs
    // Only one at a time tells which it was that changed the page.
    if (session === undefined || pair === undefined || sessions.length > 1 || session.emptyFor.has(rule)) return
    // Asked for once more behind its visitor: only what is a page that others share already, and so does nothing when it is asked for.
    if (this.#io.store.candidates(keyOf({ ...context, audience: EVERYONE })).length === 0) return
    if (this.#comparing.has(session) || this.#comparing.size >= MOST_COMPARING) return
    if (++session.comparisons > MOST_COMPARISONS) return void this.#known.delete(idOf(route, pair))
    this.#comparing.add(session)
    const { turn } = session
    const [name, value] = pair
    const comparing = this.#looksTheSame(context, `${name}=${value}`)
      .then((same) => {
        if (same === undefined || session.turn !== turn) return
        if (same) session.emptyFor.add(rule)
        else this.#known.delete(idOf(route, pair))
      })
      .finally(() => this.#comparing.delete(session))
    inBackground(comparing, (error) => this.#io.report(error, { comparing: 'a session' }))
  }

  /** @returns undefined when the origin does not answer, or too much */
  async #looksTheSame(context: RequestContext, cookie: string): Promise<boolean | undefined> {
    const ask = async (audience: RequestContext['audience']): Promise<string | undefined> => {
      const asked = { ...context, method: 'GET', audience }
      const answer = await askOrigin(asked, keyOf(asked), [])
      const collected = await readBody(answer.body, LARGEST_PAGE_BYTES)
      if (collected.kind !== 'complete') answer.body.destroy()
      return collected.kind === 'complete' && answer.status === 200
        ? settledHtml(collected.bytes.toString('utf8'))
        : undefined
    }
    try {
      const [without, having] = [await ask(EVERYONE), await ask({ kind: 'one', identity: cookie })]
      return without === undefined || having === undefined ? undefined : without === having
    } catch (error) {
      if (error instanceof OriginFailure) return undefined
      throw error
    }
  }
}

const pairsIn = (pairs: readonly Pair[], isSession: ((name: string) => boolean) | undefined): Pair[] =>
  isSession === undefined ? [] : pairs.filter(([name]) => isSession(name))

/** Cookies as an answer sets them (RFC 6265 §5.2). */
const cookiesSet = ({ fields }: Pick<OriginAnswer, 'fields'>): Pair[] =>
  cookiePairs(fieldLines(fields, 'set-cookie').map((line) => ['cookie', upTo(line, ';')] as const))

/** Whether a request sends something to the site, rather than asking for it. */
const isSending = ({ method, req }: Pick<RequestContext, 'method' | 'req'>): boolean =>
  !isSafeMethod(method) || contentOf(req) !== undefined

/** Whether a request may have done something: not a look at a page, or one that leads on, as orders do. */
const isAction = (context: Pick<RequestContext, 'method' | 'req'>, { status }: Pick<OriginAnswer, 'status'>): boolean =>
  isSending(context) || (status >= 300 && status < 400 && status !== 304)

/** A digest: whoever knows what is in memory must not have anybody's session. */
const idOf = ({ siteId }: Pick<Route, 'siteId'>, [name, value]: Pair): string =>
  createHash('sha256').update(`${siteId} ${name}=${value}`).digest('base64url').slice(0, 22)
