import { behind } from '../../core/behind.ts'
import { LRUCache } from 'lru-cache'
import type { FailedRewriting } from '../../core/contracts/delivery.ts'
import { admit } from '../../core/http/admission.ts'
import { fieldValue, type Fields } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { addressPattern } from '../../core/sampling/kinds.ts'
import { deviceClass } from '../../core/http/device.ts'
import { madeDigest } from '../../core/page/files.ts'
import { knowledgeFor, knowledgeForBoth } from '../../core/page/knowledge.ts'
import { expectedWidths } from '../../core/page/pictures/expected.ts'
import { LARGEST_PAGE_BYTES } from '../../core/page/largest-page.ts'
import type { PageOrder, RewrittenPage } from '../../core/page/rewrite.ts'
import type { FileFacts } from '../../core/page/files.ts'
import { epochMs, type EpochMs } from '../../core/time.ts'
import { obtain } from '../answer/obtain.ts'
import { keyOf, type Inquiry } from '../exchange.ts'
import type { Rewriting, Route } from '../routing.ts'
import { FactsMemory } from './facts-memory.ts'
import type { Craft } from './craft.ts'
import { fetchElsewhere } from './elsewhere.ts'
import { FailedRewritings } from './failed-rewritings.ts'
import { mainInPage } from './main-in-page.ts'
import type { MadeFiles } from './made-files.ts'
import { Materials, type Fetch } from './materials.ts'
import { PageMemory } from './page-memory.ts'
import { pageText, type PageText } from './page-text.ts'
import { Pictures } from './pictures.ts'

/** Sets of remedies whose materials are held: live and trial of each site, and versions that are being measured. */
const MOST_SETS = 50
/** Selectors that are remembered, of all kinds of pages together. */
const MOST_SELECTORS = 500_000

/** A page as the origin sent it. */
export interface PageAnswer {
  readonly status: number
  readonly fields: Fields
}

export interface RewriteResult extends RewrittenPage {
  readonly kind: 'rewritten'
  readonly bytes: Buffer
  readonly bytesBefore: number
}

/** What became of a page that was to be rewritten. */
export type RewriteOutcome =
  | RewriteResult
  /** Nothing can be done with it, however often it is tried: it is too large, or in an encoding that is not known here. */
  | { readonly kind: 'untouched' }
  /** @see FailedRewritings */
  | { readonly kind: 'failed'; readonly why: string; readonly againAt: EpochMs }

/** The request of a visitor who is nobody, for an address of the site; and whether its answer may be kept. */
const publicInquiry = (
  inquiry: Inquiry,
  { pathname, search }: URL,
): { readonly asked: Inquiry; readonly kept: boolean } => {
  const { route } = inquiry
  const rule = route.ruleFor(pathname)
  const device = inquiry.fields.filter(([name]) => name === 'sec-ch-ua-mobile' || name === 'user-agent')
  const asked: Inquiry = {
    ...inquiry,
    method: 'GET',
    target: pathname + search,
    path: pathname,
    fields: device,
    rule,
    audience: { kind: 'everyone' },
  }
  return { asked, kept: admit(asked, route.admission, rule.ignoredCookie).kind === 'shared' }
}

/** What everyone gets at an address of the site; nothing of a visitor goes along. */
const obtainPublic = (inquiry: Inquiry, url: URL, largest: number): ReturnType<typeof obtain> => {
  const { asked, kept } = publicInquiry(inquiry, url)
  return obtain(asked, { largest, kept })
}

/** Rewrites pages by the remedies of their route. */
export class Rewriter {
  readonly #craft: Craft
  readonly #made: MadeFiles
  readonly pictures: Pictures
  readonly #sets = new LRUCache<string, Materials>({ max: MOST_SETS })
  /** Selectors used by pages of a kind, by set of remedies and kind. */
  readonly #used = new LRUCache<string, Set<string>>({ maxSize: MOST_SELECTORS })
  readonly #memory = new PageMemory()
  readonly #facts = new FactsMemory()
  readonly #numbers = new WeakMap<Rewriting, number>()
  #lastNumber = 0
  /** Pages being rewritten, by site. */
  readonly #busy = new Map<string, number>()
  readonly #failed = new FailedRewritings()

  constructor(craft: Craft, made: MadeFiles) {
    this.#craft = craft
    this.#made = made
    this.pictures = new Pictures(craft, made)
  }

  get craft(): Craft {
    return this.#craft
  }

  get made(): MadeFiles {
    return this.#made
  }

  /** Pages and pictures of a site that are being worked on. */
  waiting(siteId: string): number {
    return (this.#busy.get(siteId) ?? 0) + this.pictures.waiting(siteId)
  }

  /** Whether an answer is a page that the route's remedies rewrite. */
  takes({ route, method }: Pick<Inquiry, 'route' | 'method'>, { status, fields }: PageAnswer): boolean {
    return (
      route.rewriting !== undefined &&
      method === 'GET' &&
      status === 200 &&
      isHtml(fields) &&
      !parseDirectives(fieldValue(fields, 'cache-control')).has('no-transform')
    )
  }

  /** How files of the route are fetched: by the same way as visitors' requests, without a visitor. */
  fetcher(inquiry: Inquiry): Fetch {
    return async (address, largest) => {
      const url = new URL(address)
      if (!this.#isOwn(inquiry, url))
        return fetchElsewhere(address, largest, inquiry.route.rewriting!, inquiry.io, inquiry.route.origin.lookup)
      const found = await obtainPublic(inquiry, url, largest)
      return found?.status === 200
        ? { bytes: found.bytes, type: fieldValue(found.fields, 'content-type') ?? '' }
        : undefined
    }
  }

  /** Rewrite a page; one that lately failed is left alone for a while. Never rejects. */
  async rewrite(inquiry: Inquiry, answer: PageAnswer, bytes: Buffer): Promise<RewriteOutcome> {
    const { route, target, io } = inquiry
    const page = bytes.length > LARGEST_PAGE_BYTES ? undefined : pageText(answer.fields, bytes)
    const { siteId, channel, rewriting } = route
    if (page === undefined || rewriting === undefined) return { kind: 'untouched' }
    const copy = `${this.#rules(route)} ${keyOf(inquiry)}`
    const before = this.#failed.leftAlone(copy, io.now())
    if (before !== undefined) return { kind: 'failed', why: before.why, againAt: epochMs(before.againAt) }
    this.#busy.set(siteId, (this.#busy.get(siteId) ?? 0) + 1)
    try {
      const result = await this.#rewrite(inquiry, answer, page, rewriting)
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
    inquiry: Inquiry,
    answer: PageAnswer,
    { text }: PageText,
    rewriting: Rewriting,
  ): Promise<RewrittenPage> {
    const { route, visitor, target, io } = inquiry
    const { siteId } = route
    const address = `${visitor.scheme}://${visitor.host}${target}`
    const contents = await this.#memory.contents(text, address, () => this.#craft.readPage({ html: text, address }))
    const facts = await this.#materials(route, rewriting).of(contents, this.fetcher(inquiry), {
      now: io.now(),
      unstored: (file) => !this.#isStored(inquiry, file),
    })
    const kind = `${rewriting.digest} ${addressPattern(inquiry.path)}`
    const plain = this.#order(inquiry, answer, { text, address, facts, kind })
    const inPage = await mainInPage(inquiry, plain, {
      made: this.#made,
      pictures: this.pictures,
      fetch: this.fetcher(inquiry),
    })
    const order = { ...plain, inPage }
    const result = await this.#memory.rewritten(this.#rules(route), order, () => this.#craft.page(order))
    this.#use(kind, result.used)
    for (const { path, kind: fileKind, text: made } of result.files)
      this.#made.putFile(siteId, madeDigest(path)!, fileKind, Buffer.from(made))
    behind(this.#expectPictures(inquiry, order, facts), (error) => io.report(error, { pictures: target }))
    return result
  }

  /** Pages of a site that go out as they came, though remedies would rewrite them. */
  failed(siteId: string): FailedRewriting[] {
    return this.#failed.of(siteId)
  }

  /** Whether a file is fetched from where it is kept: the store, or our copies of other hosts' files. */
  #isStored(inquiry: Inquiry, address: string): boolean {
    const url = new URL(address)
    return !this.#isOwn(inquiry, url) || publicInquiry(inquiry, url).kept
  }

  #isOwn({ visitor, route }: Inquiry, { origin }: URL): boolean {
    return origin === `${visitor.scheme}://${visitor.host}` || origin === new URL(route.origin.base).origin
  }

  /** Numbers for what remedies and knowledge a route rewrites by; a new setup comes as a new object. */
  #rules({ rewriting, byDevice }: Route): string {
    let number = this.#numbers.get(rewriting!)
    if (number === undefined) this.#numbers.set(rewriting!, (number = ++this.#lastNumber))
    return `${number} ${byDevice}`
  }

  /** Content of a site may have changed: what was learned of its files is learned anew. */
  forget(siteId: string): void {
    for (const [id, materials] of this.#sets.entries()) if (id.startsWith(`${siteId} `)) materials.forget()
    this.#failed.forget(siteId)
  }

  #materials({ siteId }: Route, rewriting: Rewriting): Materials {
    const id = `${siteId} ${rewriting.digest}`
    const known = this.#sets.get(id)
    if (known !== undefined) return known
    const materials = new Materials(siteId, rewriting, {
      craft: this.#craft,
      made: this.#made,
      memory: this.#facts,
    })
    this.#sets.set(id, materials)
    return materials
  }

  #order(
    { route, fields, path, visitor }: Inquiry,
    answer: PageAnswer,
    {
      text,
      address,
      facts,
      kind,
    }: { text: string; address: string; facts: ReadonlyMap<string, FileFacts>; kind: string },
  ): PageOrder {
    const { remedies, knowledge } = route.rewriting!
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
    inquiry: Inquiry,
    { views, remedies }: PageOrder,
    facts: ReadonlyMap<string, FileFacts>,
  ): Promise<void> {
    const { siteId } = inquiry.route
    const fetch = this.fetcher(inquiry)
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
        behind(this.pictures.want({ siteId, digest, recipe, width, form: recipe.forms[0]!, fetch }), (error) =>
          inquiry.io.report(error, { picture: address }),
        )
    }
  }

  /** Changes that the remedies make to a page right now, for people to look at. */
  async changes(inquiry: Inquiry): Promise<RewriteOutcome> {
    // As the origin sends it: kept apart from what visitors get, which is rewritten already.
    const plain = { ...inquiry.route, rewriting: undefined, partition: `${inquiry.route.partition}:plain` }
    const address = new URL(`${inquiry.visitor.scheme}://${inquiry.visitor.host}${inquiry.target}`)
    const found = await obtainPublic({ ...inquiry, route: plain }, address, LARGEST_PAGE_BYTES)
    return found?.status === 200 ? this.rewrite(inquiry, found, found.bytes) : { kind: 'untouched' }
  }
}
