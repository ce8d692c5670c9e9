import { setTimeout as pause } from 'node:timers/promises'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { ObjectCache } from './content/object-cache.ts'
import type { SiteDatabase } from './content/database.ts'
import { editorArea, objectCacheForm, publishNotice, saveEdit, saveObjectCache } from './editing.ts'
import { sendAsset, sendPicture } from './files.ts'
import { cookies, redirect, type Handler } from './handler.ts'
import { render, type Page, type PageContext } from './pages/layout.ts'
import { accountFragment, departures, editing, robots, sitemap } from './machine-answers.ts'
import * as personal from './pages/personal-pages.ts'
import * as pages from './pages/public-pages.ts'
import { comment, putIntoBasket, signIn } from './visitor-forms.ts'

export interface SiteOptions {
  readonly database: SiteDatabase
  readonly assets: ReadonlyMap<string, Buffer>
  readonly pictures: string
  /** Wait that stands for modest hosting, ms, on a usual HTML page: half of it the program, half of it the database. */
  readonly hostingWaitMs: number
  readonly objects: ObjectCache
  /** File of the object cache's setting. */
  readonly objectsSetting: string
  /** File with the address and secret for content events. */
  readonly eventTarget: string
  /** Scheme and host of the third party. */
  readonly third: string
}

/** How much of a page's wait is the database's, and how many queries share it (common practice: small hosts keep it on another machine). */
const DATABASE_SHARE = 0.5
const USUAL_QUERIES = 60

/** The ferry company's site: server-rendered, its own database, and neglected on purpose. */
export class FerrySite {
  readonly #options: SiteOptions
  readonly #routes: [RegExp, Handler][]

  constructor(options: SiteOptions) {
    this.#options = options
    const plain =
      (make: (context: PageContext) => Promise<Page>): Handler =>
      ({ context }) =>
        make(context)
    const bySlug =
      (make: (context: PageContext, slug: string) => Promise<Page | undefined>): Handler =>
      ({ context, slug }) =>
        make(context, slug)
    this.#routes = [
      [/^GET \/$/, plain(pages.home)],
      [/^GET \/timetables$/, plain(pages.timetables)],
      [/^GET \/timetables\/([\w-]+)$/, bySlug(pages.timetable)],
      [/^GET \/quays$/, plain(pages.quays)],
      [/^GET \/quays\/([\w-]+)$/, bySlug(pages.quay)],
      [/^GET \/notices$/, plain(pages.notices)],
      [/^GET \/notices\/([\w-]+)$/, bySlug(pages.notice)],
      [/^GET \/stories$/, plain(pages.stories)],
      [/^GET \/stories\/([\w-]+)$/, bySlug(pages.story)],
      [/^GET \/shop$/, plain(pages.shop)],
      [/^GET \/shop\/([\w-]+)$/, bySlug(pages.item)],
      [/^GET \/gallery$/, plain(pages.gallery)],
      [/^GET \/gallery\/([\w-]+)$/, bySlug(pages.album)],
      [/^GET \/search$/, ({ context, query }) => pages.search(context, query.get('q') ?? '')],
      [/^GET \/basket$/, ({ context, req }) => personal.basket(context, cookies(req).get('ferry_basket'))],
      [/^GET \/sign-in$/, async () => personal.signIn()],
      [
        /^GET \/account$/,
        async ({ context }) =>
          context.person === undefined ? personal.signIn('Please sign in first.') : personal.account(context),
      ],
      [/^GET \/editor(?:\/([\w-]+\/[\w-]+))?$/, editorArea],
      [
        /^GET \/editor\/notices$/,
        async ({ context }) =>
          context.person?.role === 'editor'
            ? personal.newNotice(context)
            : personal.signIn('Sign in as the editor first.'),
      ],
      [/^POST \/editor\/notices$/, publishNotice(options.eventTarget)],
      [/^GET \/editor\/object-cache$/, objectCacheForm(options.objectsSetting)],
      [/^POST \/editor\/object-cache$/, saveObjectCache(options.objectsSetting)],
      [/^POST \/editor\/poll$/, editing],
      [/^POST \/editor\/([\w-]+\/[\w-]+)$/, saveEdit(options.eventTarget)],
      [/^POST \/sign-in$/, signIn],
      [/^GET \/sign-out$/, async ({ res }) => (redirect(res, '/', 'ferry_session=; Path=/; Max-Age=0'), 'done')],
      [/^POST \/basket$/, putIntoBasket],
      [/^POST \/stories\/([\w-]+)\/comments$/, comment(options.eventTarget)],
      [/^GET \/fragments\/account$/, accountFragment],
      [/^GET \/api\/departures$/, departures],
      [/^GET \/sitemap\.xml$/, sitemap],
      [/^GET \/robots\.txt$/, robots],
    ]
  }

  server(): Server {
    return createServer((req, res) => {
      this.#handle(req, res).catch((error: Error) => {
        console.error(error)
        if (!res.headersSent) res.writeHead(500, { 'content-type': 'text/plain' })
        res.end('Something went wrong.')
      })
    })
  }

  async #handle(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const url = new URL(req.url ?? '/', 'http://site')
    const method = req.method === 'HEAD' ? 'GET' : req.method
    if (method === 'GET' && url.pathname.startsWith('/assets/')) {
      const name = url.pathname.slice(8)
      return sendAsset(req, res, this.#options.assets.get(name), name)
    }
    if (method === 'GET' && url.pathname.startsWith('/media/'))
      return sendPicture(req, res, this.#options.pictures, url.pathname.slice(7))
    const line = `${method} ${url.pathname}`
    const found = this.#routes.find(([pattern]) => pattern.test(line))
    const context = await this.#context(req, url.pathname)
    const slug = found === undefined ? '' : (found[0].exec(line)![1] ?? '')
    const page = found === undefined ? undefined : await found[1]({ req, res, context, slug, query: url.searchParams })
    if (page === 'done') return
    const status = page === undefined ? 404 : 200
    const html = await render(context, page ?? { title: 'Not found', body: '<h1>There is no such page</h1>' })
    await pause(this.#options.hostingWaitMs * (1 - DATABASE_SHARE))
    res.writeHead(status, {
      'content-type': 'text/html; charset=utf-8',
      'content-length': Buffer.byteLength(html),
      // What the database was asked; the rest came from the object cache.
      'server-timing': `queries;desc="${context.db.asked} of ${context.db.count}"`,
      ...(context.fragments ? { 'surrogate-control': 'content="ESI/1.0"' } : {}),
      ...(context.person === undefined ? {} : { 'cache-control': 'no-cache, must-revalidate, max-age=0' }),
    })
    res.end(req.method === 'HEAD' ? undefined : html)
  }

  async #context(req: IncomingMessage, path: string): Promise<PageContext> {
    const { database, objects, hostingWaitMs } = this.#options
    const waitMs = (hostingWaitMs * DATABASE_SHARE) / USUAL_QUERIES
    const db = database.session({ waitMs, objects: await objects.page() })
    const jar = cookies(req)
    const person = await db.one<NonNullable<PageContext['person']>>(
      'select p.name, p.role, p.shown from sessions s join people p on p.name = s.person where s.token = $1',
      jar.get('ferry_session') ?? '',
    )
    const basket = await db.one<{ n: number }>(
      'select coalesce(sum(amount), 0)::int as n from baskets where token = $1',
      jar.get('ferry_basket') ?? '',
    )
    const scheme = req.headers['x-forwarded-proto'] ?? 'http'
    return {
      db,
      base: `${String(scheme)}://${req.headers.host ?? 'localhost'}`,
      path,
      person,
      basketCount: basket?.n ?? 0,
      third: this.#options.third,
      fragments: /ESI\/1\.0/.test(String(req.headers['surrogate-capability'] ?? '')),
    }
  }
}
