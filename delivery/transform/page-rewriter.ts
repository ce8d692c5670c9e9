import type { PageAnswer, TransformOutcome } from '../fetch/page-transform.ts'
import { inBackground } from '../../core/in-background.ts'
import { LRUCache } from 'lru-cache'
import type { FailedRewriting } from '../../core/contracts/delivery.ts'
import { decideCacheBypass } from '../../core/cache/cache-bypass.ts'
import { fieldValue, hasField } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { addressPattern } from '../../core/sampling/page-kinds.ts'
import { deviceClass } from '../../core/http/device.ts'
import { madeDigest } from '../../core/page/context/file-facts.ts'
import { knowledgeFor, knowledgeForBoth } from '../../core/page/context/page-knowledge.ts'
import { expectedWidths } from '../../core/page/pictures/expected-widths.ts'
import { LARGEST_PAGE_BYTES } from '../../core/page/document/largest-page.ts'
import type { PageOrder, RewrittenPage } from '../../core/page/rewrite.ts'
import type { FileFacts } from '../../core/page/context/file-facts.ts'
import { epochMs } from '../../core/time.ts'
import { fetchThroughCache } from '../fetch/fetch-through-cache.ts'
import { keyOf } from '../cache-keys/partitions.ts'
import type { FetchContext, PageTransform } from '../fetch/fetch-context.ts'
import type { Rewriting, Route } from '../request/routes.ts'
import { FactsMemory } from './facts-memory.ts'
import type { TransformPool } from './transform-pool.ts'
import { fetchThirdParty } from './third-party-fetch.ts'
import { FailedRewritings } from './failed-rewritings.ts'
import { inlineLcpImage } from './inline-lcp-image.ts'
import type { GeneratedAssets } from './generated-assets.ts'
import { SubresourceFacts, type Fetch } from './subresource-facts.ts'
import { PageMemory } from './page-memory.ts'
import { pageText, type PageText } from './page-text.ts'
import { Pictures } from './pictures.ts'

/** Sets of remedies whose materials are held: live and trial of each site, and versions that are being measured. */
const MOST_SETS = 50
/** Early hints that are remembered, bytes: of about ten thousand pages. */
const MOST_HINT_BYTES = 8 * 1024 * 1024
/** Selectors that are remembered, of all kinds of pages together. */
const MOST_SELECTORS = 500_000

/** The request of a visitor who is nobody, for an address of the site; and whether its answer may be kept. */
const publicContext = (
  context: FetchContext,
  { pathname, search }: URL,
): { readonly asked: FetchContext; readonly kept: boolean } => {
  const { route } = context
  const rule = route.ruleFor(pathname)
  const device = context.fields.filter(([name]) => name === 'sec-ch-ua-mobile' || name === 'user-agent')
  const asked: FetchContext = {
    ...context,
    method: 'GET',
    target: pathname + search,
    path: pathname,
    fields: device,
    rule,
    audience: { kind: 'everyone' },
  }
  return { asked, kept: decideCacheBypass(asked, route.bypassRules, rule.ignoredCookie).kind === 'shared' }
}

/** What everyone gets at an address of the site; nothing of a visitor goes along. */
const obtainPublic = (context: FetchContext, url: URL, largest: number): ReturnType<typeof fetchThroughCache> => {
  const { asked, kept } = publicContext(context, url)
  return fetchThroughCache(asked, { largest, kept })
}

/** Rewrites pages by the remedies of their route. */
export class PageRewriter implements PageTransform {
  readonly #pool: TransformPool
  readonly #made: GeneratedAssets
  readonly pictures: Pictures
  readonly #sets = new LRUCache<string, SubresourceFacts>({ max: MOST_SETS })
  /** Selectors used by pages of a kind, by set of remedies and kind. */
  readonly #used = new LRUCache<string, Set<string>>({ maxSize: MOST_SELECTORS })
  readonly #memory = new PageMemory()
  /** What pages named the last time they were sent, for browsers that wait for them. */
  readonly #early = new LRUCache<string, readonly string[]>({
    maxSize: MOST_HINT_BYTES,
    sizeCalculation: (hints, id) => id.length + hints.join().length,
  })
  readonly #facts = new FactsMemory()
  readonly #numbers = new WeakMap<Rewriting, number>()
  #lastNumber = 0
  /** Pages being rewritten, by site. */
  readonly #busy = new Map<string, number>()
  readonly #failed = new FailedRewritings()

  constructor(pool: TransformPool, made: GeneratedAssets) {
    this.#pool = pool
    this.#made = made
    this.pictures = new Pictures(pool, made)
  }

  get pool(): TransformPool {
    return this.#pool
  }

  get made(): GeneratedAssets {
    return this.#made
  }

  /** Pages and pictures of a site that are being worked on. */
  waiting(siteId: string): number {
    return (this.#busy.get(siteId) ?? 0) + this.pictures.waiting(siteId)
  }

  /** Whether an answer is a page that the route's remedies rewrite. */
  takes({ route, method }: Pick<FetchContext, 'route' | 'method'>, { status, fields }: PageAnswer): boolean {
    return (
      route.rewriting !== undefined &&
      method === 'GET' &&
      status === 200 &&
      isHtml(fields) &&
      !parseDirectives(fieldValue(fields, 'cache-control')).has('no-transform')
    )
  }

  /** How files of the route are fetched: by the same way as visitors' requests, without a visitor. */
  fetcher(context: FetchContext): Fetch {
    return async (address, largest) => {
      const url = new URL(address)
      if (!this.#isOwn(context, url))
        return fetchThirdParty(address, largest, context.route.rewriting!, context.io, context.route.origin.lookup)
      const found = await obtainPublic(context, url, largest)
      return found?.status === 200
        ? { bytes: found.bytes, type: fieldValue(found.fields, 'content-type') ?? '' }
        : undefined
    }
  }

  /** Rewrite a page; one that lately failed is left alone for a while. Never rejects. */
  async rewrite(context: FetchContext, answer: PageAnswer, bytes: Buffer): Promise<TransformOutcome> {
    const { route, target, io } = context
    const page = bytes.length > LARGEST_PAGE_BYTES ? undefined : pageText(answer.fields, bytes)
    const { siteId, channel, rewriting } = route
    if (page === undefined || rewriting === undefined) return { kind: 'untouched' }
    const copy = `${this.#rules(route)} ${keyOf(context)}`
    const before = this.#failed.leftAlone(copy, io.now())
    if (before !== undefined) return { kind: 'failed', why: before.why, againAt: epochMs(before.againAt) }
    this.#busy.set(siteId, (this.#busy.get(siteId) ?? 0) + 1)
    try {
      const result = await this.#rewrite(context, answer, page, rewriting)
      this.#failed.succeeded(copy)
      return { ...result, kind: 'rewritten', bytes: Buffer.from(result.html, page.encoding), bytesBefore: bytes.length }
    } catch (error) {
      const why = (error as Error).message
      const { againAt } = this.#failed.add(copy, { siteId, channel, target, why }, io.now())
      io.say(`A page could not be rewritten and goes out as it came (${target}): ${why}`)
      return { kind: 'failed', why, againAt: epochMs(againAt) }
    } finally {
      this.#busy.set(siteId, (this.#busy.get(siteId) ?? 1) - 1)
    }
  }

  async #rewrite(
    context: FetchContext,
    answer: PageAnswer,
    { text }: PageText,
    rewriting: Rewriting,
  ): Promise<RewrittenPage> {
    const { route, visitor, target, io } = context
    const { siteId } = route
    const address = `${visitor.scheme}://${visitor.host}${target}`
    const contents = await this.#memory.contents(text, address, () => this.#pool.readPage({ html: text, address }))
    const facts = await this.#subresources(route, rewriting).of(contents, this.fetcher(context), {
      now: io.now(),
      unstored: (file) => !this.#isStored(context, file),
    })
    const kind = `${rewriting.digest} ${addressPattern(context.path)}`
    const plain = this.#order(context, answer, { text, address, facts, kind })
    const inPage = await inlineLcpImage(context, plain, {
      made: this.#made,
      pictures: this.pictures,
      fetch: this.fetcher(context),
    })
    const order = { ...plain, inPage }
    const rules = `${this.#rules(route)} ${order.remedies === rewriting.remedies ? 'as set' : 'own files'}`
    const result = await this.#memory.rewritten(rules, order, () => this.#pool.page(order))
    this.#use(kind, result.used)
    this.#noteEarly(context, result.early)
    for (const { path, kind: fileKind, text: made } of result.files)
      this.#made.putFile(siteId, madeDigest(path)!, fileKind, Buffer.from(made))
    inBackground(this.#expectPictures(context, order, facts), (error) => io.report(error, { pictures: target }))
    return result
  }

  /** With its query: what it holds may be one visitor's, and so may what the page names by it. */
  #earlyId({ route, fields, target }: Pick<FetchContext, 'route' | 'fields' | 'target'>): string {
    return `${this.#rules(route)} ${route.partition} ${deviceClass(fields)} ${target}`
  }

  /** Only pages that anybody gets, at addresses that pass through as well: others could name what is one visitor's. */
  #noteEarly(context: FetchContext, early: readonly string[]): void {
    if (hasField(context.fields, 'cookie') || !isForAnybody(context)) return
    if (early.length > 0) this.#early.set(this.#earlyId(context), early)
    else this.#early.delete(this.#earlyId(context))
  }

  /** Values of Link for 103 Early Hints (RFC 8297), as far as the page has been sent before; none for pages that are not known. */
  earlyHints(context: Pick<FetchContext, 'route' | 'fields' | 'target'>): readonly string[] {
    return context.route.earlyHints ? (this.#early.get(this.#earlyId(context)) ?? []) : []
  }

  minifyJson(text: string): Promise<string> {
    return this.#pool.json(text)
  }

  /** Pages of a site that go out as they came, though remedies would rewrite them. */
  failed(siteId: string): FailedRewriting[] {
    return this.#failed.of(siteId)
  }

  /** Whether a file is fetched from where it is kept: the store, or our copies of other hosts' files. */
  #isStored(context: FetchContext, address: string): boolean {
    const url = new URL(address)
    return !this.#isOwn(context, url) || publicContext(context, url).kept
  }

  #isOwn({ visitor, route }: FetchContext, { origin }: URL): boolean {
    return origin === `${visitor.scheme}://${visitor.host}` || origin === new URL(route.origin.base).origin
  }

  /** Numbers for what remedies and knowledge a route rewrites by; a new setup comes as a new object. */
  #rules({ rewriting, byDevice }: Route): string {
    let number = this.#numbers.get(rewriting!)
    if (number === undefined) this.#numbers.set(rewriting!, (number = ++this.#lastNumber))
    return `${number} ${byDevice}`
  }

  /** Content of a site may have changed: what was learned of its files is learned again. */
  forget(siteId: string): void {
    for (const [id, materials] of this.#sets.entries()) if (id.startsWith(`${siteId} `)) materials.forget()
    this.#failed.forget(siteId)
  }

  #subresources({ siteId }: Route, rewriting: Rewriting): SubresourceFacts {
    const id = `${siteId} ${rewriting.digest}`
    const known = this.#sets.get(id)
    if (known !== undefined) return known
    const materials = new SubresourceFacts(siteId, rewriting, {
      pool: this.#pool,
      made: this.#made,
      memory: this.#facts,
    })
    this.#sets.set(id, materials)
    return materials
  }

  #order(
    context: FetchContext,
    answer: PageAnswer,
    {
      text,
      address,
      facts,
      kind,
    }: { text: string; address: string; facts: ReadonlyMap<string, FileFacts>; kind: string },
  ): PageOrder {
    const { route, fields, path, visitor } = context
    const { remedies: all, knowledge } = route.rewriting!
    // Who is signed in, staff above all, gets the files of the site itself: what they have just changed is there at once.
    const remedies =
      all.filesCdn.enabled && !isForAnybody(context) ? { ...all, filesCdn: { ...all.filesCdn, enabled: false } } : all
    const phone = knowledgeFor(knowledge, path, 'phone')
    const laptop = knowledgeFor(knowledge, path, 'laptop')
    const device = deviceClass(fields) === 'phone' ? 'phone' : 'laptop'
    const own = device === 'phone' ? phone : laptop
    return {
      html: text,
      address,
      remedies,
      device,
      multiplexed: visitor.scheme === 'https',
      policy: fieldValue(answer.fields, 'content-security-policy'),
      knowledge: route.byDevice ? own : knowledgeForBoth(phone, laptop),
      views: { ...(phone === undefined ? {} : { phone }), ...(laptop === undefined ? {} : { laptop }) },
      facts,
      alsoUsed: [...(this.#used.get(kind) ?? [])],
    }
  }

  #use(kind: string, used: readonly string[]): void {
    const known = this.#used.get(kind) ?? new Set<string>()
    for (const selector of used) known.add(selector)
    this.#used.set(kind, known, { size: 1 + known.size })
  }

  /** Convert the pictures that visitors of this page will ask for first: the widths that the measured layouts need, in the best form. */
  async #expectPictures(
    context: FetchContext,
    { views, remedies }: PageOrder,
    facts: ReadonlyMap<string, FileFacts>,
  ): Promise<void> {
    const { siteId } = context.route
    const fetch = this.fetcher(context)
    const order = (address: string): number => {
      const path = new URL(address).pathname
      return [views.phone, views.laptop].some((view) =>
        view?.images.some((one) => one.path === path && one.inFirstView),
      )
        ? 0
        : 1
    }
    const pictures = [...facts.values()]
      .filter(({ image }) => image !== undefined)
      .sort((a, b) => order(a.address) - order(b.address))
    for (const { address, image, made } of pictures) {
      const digest = madeDigest(made!.path)!
      const recipe = await this.#made.recipe(siteId, digest)
      if (recipe === undefined) continue
      const needed = expectedWidths(new URL(address).pathname, image!, views, remedies.images.phoneDensity)
      for (const width of needed)
        inBackground(this.pictures.want({ siteId, digest, recipe, width, form: recipe.forms[0]!, fetch }), (error) =>
          context.io.report(error, { picture: address }),
        )
    }
  }

  /** Changes that the remedies make to a page right now, for people to look at. */
  async changes(context: FetchContext): Promise<TransformOutcome> {
    // As your server (origin) sends it: kept apart from what visitors get, which is rewritten already.
    const plain = { ...context.route, rewriting: undefined, partition: `${context.route.partition}:plain` }
    const address = new URL(`${context.visitor.scheme}://${context.visitor.host}${context.target}`)
    const found = await obtainPublic({ ...context, route: plain }, address, LARGEST_PAGE_BYTES)
    return found?.status === 200 ? this.rewrite(context, found, found.bytes) : { kind: 'untouched' }
  }
}

/** Whether a page is one that anybody gets who asks with these cookies, at whatever address. */
const isForAnybody = (context: FetchContext): boolean => {
  const { route, rule, audience } = context
  if (audience.kind !== 'everyone') return false
  const anyAddress = { pageCache: true, passesPath: () => false, passesParameter: () => false }
  return decideCacheBypass(context, { ...route.bypassRules, ...anyAddress }, rule.ignoredCookie).kind === 'shared'
}
