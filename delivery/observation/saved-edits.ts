import { createHash } from 'node:crypto'
import { setTimeout } from 'node:timers/promises'
import { LRUCache } from 'lru-cache'
import { inBackground } from '../../core/in-background.ts'
import { decideCacheBypass } from '../../core/cache/cache-bypass.ts'
import { cacheKey, sharedTarget, type CacheKey } from '../../core/cache/cache-key.ts'
import { fieldValue } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import { LARGEST_PAGE_BYTES } from '../../core/page/document/largest-page.ts'
import { linkedPages } from '../../core/sampling/links.ts'
import { askOrigin } from '../fetch/ask-origin.ts'
import { readBody } from '../fetch/read-body.ts'
import { revalidateOnce } from '../fetch/revalidate.ts'
import { keyOf, sharedPartitions } from '../cache-keys/partitions.ts'
import type { DeliveryIo, EditWatch, RequestContext } from '../respond/request-context.ts'
import type { FetchContext } from '../fetch/fetch-context.ts'
import type { OriginAnswer } from '../fetch/origin-client.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import { contextFor } from '../fetch/background-revalidation.ts'

/** Pages that the home page links to first, among which is what was edited lately; so many are compared. */
const NEWEST = 12
/** An address whose requests changed nothing so often (an editor that asks every few seconds) is left out for a while. */
const FRUITLESS = 3
const FIRST_REST_MS = 60_000
const LONGEST_REST_MS = 3_600_000
/** Pages that wait for the next round; anybody can claim to have a session, and name pages. */
const MOST_WAITING = 50
/** After a round the site rests for so many times as long as it took, but no longer than an editor's next change may wait: nobody is to keep its origin busy with claims. */
const REST_SHARE = 4
const LONGEST_ROUND_REST_MS = 2000
/** Pages that each signed-in visitor looked at last, and so many visitors. */
const LAST_VISITED = 5
const LONGEST_VISITED = 500
const MOST_SESSIONS = 2000
/** Pages that are compared because they link to one that has changed. */
const MOST_DEPENDANTS = 30
const MOST_KNOWN_BYTES = 1024 * 1024

interface Known {
  readonly fruitless: number
  /** Monotonic, ms. */
  readonly restsUntil: number
}

/** Pages to be compared, and on whose account: kinds of requests by site, method and path. */
interface Round {
  readonly pages: Set<string>
  readonly ids: Set<string>
}

const aRound = (pages: readonly string[] = [], ids: readonly string[] = []): Round => ({
  pages: new Set(pages),
  ids: new Set(ids),
})

/**
 * Editors save by requests that do not name the page they change. After one that succeeded, the pages that it could have changed are compared with
 * the origin behind everybody's back: what differs is replaced.
 */
export class SavedEdits {
  readonly #io: DeliveryIo
  readonly #known = new LRUCache<string, Known>({
    maxSize: MOST_KNOWN_BYTES,
    sizeCalculation: (_known, id) => id.length + 100,
  })
  /** Pages that signed-in visitors looked at last, by a digest of their cookies. */
  readonly #visited = new LRUCache<string, string[]>({ max: MOST_SESSIONS })
  /** Sites at which pages are being compared, with what was saved meanwhile. */
  readonly #busy = new Map<string, Round>()

  constructor(io: DeliveryIo) {
    this.#io = io
  }

  /** A request was answered by the origin. */
  saw(context: RequestContext, answer: Pick<OriginAnswer, 'status' | 'fields'>): EditWatch {
    const { route, method, path } = context
    // Home sees the same request, and tells its edges.
    if (route.home !== undefined) return 'no-edit'
    if (method === 'GET') this.#noteVisit(context, answer)
    if (isSafeMethod(method) || answer.status < 200 || answer.status > 399) return 'no-edit'
    if (!route.bypassRules.pageCache || route.polls?.fits(path) === true || !isSignedIn(context)) return 'no-edit'
    const id = `${route.siteId} ${method} ${path}`
    if (this.#rests(id)) return 'fruitless'
    const pages = [...pagesNamed(context, answer), ...(this.#visited.get(sessionOf(context)) ?? [])]
    const waiting = this.#busy.get(route.siteId)
    if (waiting !== undefined) {
      for (const page of pages) if (waiting.pages.size < MOST_WAITING) waiting.pages.add(page)
      if (waiting.ids.size < MOST_WAITING) waiting.ids.add(id)
      return 'compared-next'
    }
    this.#busy.set(route.siteId, aRound())
    const comparing = this.#compareAll(route.siteId, aRound(pages, [id]), homeOf(context)).finally(() =>
      this.#busy.delete(route.siteId),
    )
    inBackground(comparing, (error) => this.#io.report(error, { comparing: 'after an edit' }))
    return 'comparing'
  }

  /** Editors look at a page before they change it, and most save what they looked at last. */
  #noteVisit(context: RequestContext, { status, fields }: Pick<OriginAnswer, 'status' | 'fields'>): void {
    const { route, target } = context
    if (
      target.length > LONGEST_VISITED ||
      status !== 200 ||
      !route.bypassRules.pageCache ||
      !isHtml(fields) ||
      !isSignedIn(context)
    )
      return
    const id = sessionOf(context)
    const before = (this.#visited.get(id) ?? []).filter((one) => one !== target)
    this.#visited.set(id, [target, ...before].slice(0, LAST_VISITED))
  }

  #rests(id: string): boolean {
    return (this.#known.get(id)?.restsUntil ?? 0) > this.#io.elapsed()
  }

  #remember(id: string, changed: number): void {
    if (changed > 0) return void this.#known.delete(id)
    const fruitless = (this.#known.get(id)?.fruitless ?? 0) + 1
    const rest = fruitless < FRUITLESS ? 0 : Math.min(LONGEST_REST_MS, FIRST_REST_MS * 2 ** (fruitless - FRUITLESS))
    this.#known.set(id, { fruitless, restsUntil: this.#io.elapsed() + rest })
  }

  /** Rounds follow each other as long as something is saved meanwhile that has not been found to change nothing. */
  async #compareAll(siteId: string, first: Round, home: FetchContext): Promise<void> {
    let round = first
    while (round.pages.size > 0 && [...round.ids].some((id) => !this.#rests(id))) {
      const { pages, ids } = round
      const begun = this.#io.elapsed()
      const madeAgain = new Set<string>()
      const compare = async (page: string): Promise<void> => {
        if ((await this.#compare(siteId, page)) > 0) madeAgain.add(page)
      }
      await compare('/')
      pages.delete('/')
      for (const page of await this.#newest(siteId, home)) pages.add(page)
      for (const page of pages) await compare(page)
      for (const page of await this.#dependants(siteId, madeAgain, pages)) await compare(page)
      for (const id of ids) this.#remember(id, madeAgain.size)
      const rest = Math.min(LONGEST_ROUND_REST_MS, REST_SHARE * (this.#io.elapsed() - begun))
      await setTimeout(rest, undefined, { ref: false })
      // What was saved meanwhile may be on pages that were compared before.
      round = this.#busy.get(siteId) ?? aRound()
      this.#busy.set(siteId, aRound())
    }
  }

  /** Pages that follow those that were found changed, and have not been compared yet. */
  async #dependants(siteId: string, madeAgain: ReadonlySet<string>, done: ReadonlySet<string>): Promise<string[]> {
    const changed = [...madeAgain].filter((page) => page !== '/')
    if (changed.length === 0) return []
    const { linking, shifted } = await this.#io.links.dependants(siteId, changed)
    return [...linking, ...shifted].filter((page) => page !== '/' && !done.has(page)).slice(0, MOST_DEPENDANTS)
  }

  #keysOf(siteId: string, target: string): CacheKey[] {
    return [...this.#io.routes()].flatMap(([host, route]) =>
      route.siteId !== siteId
        ? []
        : sharedPartitions(route.partition).flatMap((partition) =>
            ['http', 'https'].map((scheme) =>
              cacheKey(partition, scheme, host, sharedTarget(target, route.ignoredParameter, route.sortParameters)),
            ),
          ),
    )
  }

  async #compare(siteId: string, target: string): Promise<number> {
    const { store } = this.#io
    let changed = 0
    for (const key of this.#keysOf(siteId, target))
      for (const entry of store.candidates(key)) {
        const context = contextFor(this.#io, entry)
        if (context === undefined) continue
        await revalidateOnce(context, key, entry)
        const now = store.candidates(key).find(({ id }) => id === entry.id)
        if (now?.bodies[0]?.digest !== entry.bodies[0]?.digest) changed++
      }
    if (changed > 0) this.#io.announce?.({ siteId, what: { kind: 'paths', paths: [target] }, manner: 'hard' })
    return changed
  }

  /** Pages that the home page links to, in its order: as it is stored, or else as the origin has it. */
  async #newest(siteId: string, home: FetchContext): Promise<string[]> {
    const { store } = this.#io
    for (const key of this.#keysOf(siteId, '/'))
      for (const entry of store.candidates(key)) {
        const bytes = await store.body(entry, 'identity')
        const visitor = contextFor(this.#io, entry)?.visitor
        if (bytes === undefined || visitor === undefined) continue
        return linkedPages(bytes.toString('utf8'), `${visitor.scheme}://${visitor.host}/`).slice(0, NEWEST)
      }
    // A form that led to the home page, signing in for one, has taken it out of the store.
    const answer = await askOrigin(home, keyOf(home), []).catch((error: unknown) => {
      if (error instanceof OriginFailure) return undefined
      throw error
    })
    if (answer === undefined) return []
    const collected = await readBody(answer.body, LARGEST_PAGE_BYTES)
    if (collected.kind !== 'complete') answer.body.destroy()
    if (collected.kind !== 'complete' || answer.status !== 200) return []
    const { scheme, host } = home.visitor
    return linkedPages(collected.bytes.toString('utf8'), `${scheme}://${host}/`).slice(0, NEWEST)
  }
}

/** The home page, as who is signed out asks for it where a request came from. */
const homeOf = ({ io, route, visitor }: RequestContext): FetchContext => ({
  io,
  route,
  visitor,
  method: 'GET',
  target: '/',
  path: '/',
  fields: [],
  rule: route.ruleFor('/'),
  audience: { kind: 'everyone' },
})

/** Whether the cookies of a request belong to one visitor. */
const isSignedIn = ({ fields, route, rule }: RequestContext): boolean => {
  const cookies = fields.filter(([name]) => name === 'cookie')
  const asked = { method: 'GET', path: '/', target: '/', fields: cookies }
  const bypassRules = decideCacheBypass(asked, { ...route.bypassRules, passesPath: () => false }, rule.ignoredCookie)
  return bypassRules.kind === 'private' || (bypassRules.kind === 'pass' && bypassRules.reason === 'visitor-cookie')
}

const sessionOf = ({ route, fields }: RequestContext): string =>
  createHash('sha256')
    .update(`${route.siteId} ${fieldValue(fields, 'cookie') ?? ''}`)
    .digest('base64url')
    .slice(0, 22)

/** The page a request comes from, the one it leads to, and its own. */
const pagesNamed = ({ fields, visitor, target }: RequestContext, answer: Pick<OriginAnswer, 'fields'>): string[] => {
  const own = `${visitor.scheme}://${visitor.host}`
  const found = new Set([target])
  for (const address of [fieldValue(fields, 'referer'), fieldValue(answer.fields, 'location')]) {
    if (address === undefined || !URL.canParse(address, own)) continue
    const url = new URL(address, own)
    if (url.hostname === visitor.hostName) found.add(url.pathname + url.search)
  }
  return [...found]
}
