import { createHash, randomBytes } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import { join } from 'node:path'
import type { SiteDatabase } from './database.ts'
import { tellOfChange } from './events.ts'
import { accountCorner, escapeHtml, render, type Page, type PageContext } from './layout.ts'
import * as personal from './pages/personal-pages.ts'
import * as pages from './pages/public-pages.ts'
import { slugOf } from './seed.ts'

export interface SiteOptions {
  readonly database: SiteDatabase
  readonly assets: ReadonlyMap<string, Buffer>
  readonly pictures: string
  /** Wait that stands for modest hosting, ms, on every HTML page. */
  readonly hostingWaitMs: number
  /** File with the address and secret for content events. */
  readonly eventTarget: string
  /** Scheme and host of the third party. */
  readonly third: string
}

const TYPES: Record<string, string> = {
  css: 'text/css',
  js: 'application/javascript',
  woff: 'font/woff',
  jpg: 'image/jpeg',
}

const cookies = (req: IncomingMessage): Map<string, string> =>
  new Map(
    (req.headers.cookie ?? '')
      .split(';')
      .map((pair) => [pair.split('=')[0]!.trim(), pair.split('=').slice(1).join('=')]),
  )

const readForm = async (req: IncomingMessage): Promise<URLSearchParams> => {
  const chunks: Buffer[] = []
  for await (const chunk of req) chunks.push(chunk as Buffer)
  return new URLSearchParams(Buffer.concat(chunks).toString('utf8'))
}

const redirect = (res: ServerResponse, to: string, cookie?: string): void => {
  res.writeHead(303, { location: to, ...(cookie === undefined ? {} : { 'set-cookie': cookie }) })
  res.end()
}

type Handler = (request: {
  req: IncomingMessage
  res: ServerResponse
  context: PageContext
  slug: string
  query: URLSearchParams
}) => Promise<Page | undefined | 'done'>

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
      [/^GET \/editor(?:\/([\w-]+\/[\w-]+))?$/, (request) => this.#editor(request)],
      [
        /^GET \/editor\/notices$/,
        async ({ context }) =>
          context.person?.role === 'editor'
            ? personal.newNotice(context)
            : personal.signIn('Sign in as the editor first.'),
      ],
      [/^POST \/editor\/notices$/, (request) => this.#publishNotice(request)],
      [/^POST \/editor\/poll$/, async ({ res }) => this.#json(res, { editing: [] })],
      [/^POST \/editor\/([\w-]+\/[\w-]+)$/, (request) => this.#save(request)],
      [/^POST \/sign-in$/, (request) => this.#signIn(request)],
      [
        /^GET \/sign-out$/,
        async ({ res }) => (redirect(res, '/', 'ferry_session=; Path=/; Max-Age=0'), 'done'),
      ],
      [/^POST \/basket$/, (request) => this.#putIntoBasket(request)],
      [/^POST \/stories\/([\w-]+)\/comments$/, (request) => this.#comment(request)],
      [
        /^GET \/fragments\/account$/,
        async ({ res, context }) => {
          res.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(accountCorner(context))
          return 'done'
        },
      ],
      [/^GET \/api\/departures$/, ({ res, context }) => this.#departures(res, context)],
      [/^GET \/sitemap\.xml$/, ({ res, context }) => this.#sitemap(res, context)],
      [
        /^GET \/robots\.txt$/,
        async ({ res, context }) =>
          this.#text(
            res,
            `User-agent: *\nDisallow: /editor\nDisallow: /basket\n\nSitemap: ${context.base}/sitemap.xml\n`,
          ),
      ],
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
    if (method === 'GET' && url.pathname.startsWith('/assets/'))
      return this.#asset(req, res, url.pathname.slice(8))
    if (method === 'GET' && url.pathname.startsWith('/media/'))
      return this.#picture(req, res, url.pathname.slice(7))
    const line = `${method} ${url.pathname}`
    const found = this.#routes.find(([pattern]) => pattern.test(line))
    const context = await this.#context(req, url.pathname)
    const slug = found === undefined ? '' : (found[0].exec(line)![1] ?? '')
    const page =
      found === undefined ? undefined : await found[1]({ req, res, context, slug, query: url.searchParams })
    if (page === 'done') return
    const status = page === undefined ? 404 : 200
    const html = await render(context, page ?? { title: 'Not found', body: '<h1>There is no such page</h1>' })
    await new Promise((resolve) => setTimeout(resolve, this.#options.hostingWaitMs))
    res.writeHead(status, {
      'content-type': 'text/html; charset=utf-8',
      'content-length': Buffer.byteLength(html),
      ...(context.fragments ? { 'surrogate-control': 'content="ESI/1.0"' } : {}),
      ...(context.person === undefined ? {} : { 'cache-control': 'no-cache, must-revalidate, max-age=0' }),
    })
    res.end(req.method === 'HEAD' ? undefined : html)
  }

  async #context(req: IncomingMessage, path: string): Promise<PageContext> {
    const db = this.#options.database.session()
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

  #asset(req: IncomingMessage, res: ServerResponse, name: string): void {
    const bytes = this.#options.assets.get(name)
    if (bytes === undefined) {
      res.writeHead(404).end()
      return
    }
    const etag = `"${createHash('sha256').update(bytes).digest('base64url').slice(0, 16)}"`
    if (req.headers['if-none-match'] === etag) {
      res.writeHead(304, { etag }).end()
      return
    }
    res.writeHead(200, {
      'content-type': TYPES[name.split('.').pop()!]!,
      'content-length': bytes.length,
      etag,
    })
    res.end(req.method === 'HEAD' ? undefined : bytes)
  }

  async #picture(req: IncomingMessage, res: ServerResponse, name: string): Promise<void> {
    const path = join(this.#options.pictures, name)
    const info = /^[\w-]+\.jpg$/.test(name) ? await stat(path).catch(() => undefined) : undefined
    if (info === undefined) return void res.writeHead(404).end()
    res.writeHead(200, { 'content-type': 'image/jpeg', 'content-length': info.size })
    if (req.method === 'HEAD') res.end()
    else createReadStream(path).pipe(res)
  }

  #json(res: ServerResponse, value: unknown): 'done' {
    res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(value))
    return 'done'
  }

  #text(res: ServerResponse, text: string): 'done' {
    res.writeHead(200, { 'content-type': 'text/plain; charset=utf-8' }).end(text)
    return 'done'
  }

  async #departures(res: ServerResponse, { db }: PageContext): Promise<'done'> {
    const departures = await db.all(
      'select s.leaves, q.name as quay, r.name as route from sailings s join quays q on q.slug = s.quay join routes r on r.slug = s.route order by s.leaves limit 30',
    )
    return this.#json(res, { departures })
  }

  async #sitemap(res: ServerResponse, { db, base }: PageContext): Promise<'done'> {
    const rows: [string, number, string | undefined][] = [['/', 1, undefined]]
    for (const [path, table, priority] of [
      ['timetables', 'routes', 0.8],
      ['quays', 'quays', 0.7],
      ['notices', 'notices', 0.9],
      ['stories', 'stories', 0.5],
      ['shop', 'items', 0.6],
      ['gallery', 'albums', 0.3],
    ] as const) {
      rows.push([`/${path}`, priority, undefined])
      const dated = table === 'notices' || table === 'stories'
      for (const row of await db.all<{ slug: string; changed?: Date }>(
        `select slug${dated ? ', changed' : ''} from ${table} order by slug`,
      ))
        rows.push([`/${path}/${row.slug}`, priority, row.changed?.toISOString()])
    }
    const body = rows.map(
      ([path, priority, changed]) =>
        `<url><loc>${base}${path}</loc>${changed === undefined ? '' : `<lastmod>${changed}</lastmod>`}<priority>${priority.toFixed(1)}</priority></url>`,
    )
    res.writeHead(200, { 'content-type': 'application/xml' })
    res.end(
      `<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n${body.join('\n')}\n</urlset>\n`,
    )
    return 'done'
  }

  #signIn: Handler = async ({ req, res, context }) => {
    const form = await readForm(req)
    const person = await context.db.one(
      'select name, role from people where name = $1 and password = $2',
      form.get('name'),
      form.get('password'),
    )
    if (person === undefined) return personal.signIn('That name and password do not go together.')
    const token = randomBytes(16).toString('hex')
    await context.db.all('insert into sessions values ($1, $2)', token, person['name'])
    redirect(
      res,
      person['role'] === 'editor' ? '/editor' : '/account',
      `ferry_session=${token}; Path=/; HttpOnly; SameSite=Lax`,
    )
    return 'done'
  }

  #editor: Handler = async ({ context, slug }) => {
    if (context.person?.role !== 'editor') return personal.signIn('Sign in as the editor first.')
    const [kind = '', id = ''] = slug.split('/')
    return slug === '' ? personal.editorArea(context) : personal.editForm(context, kind, id)
  }

  #save: Handler = async ({ req, res, context, slug }) => {
    if (context.person?.role !== 'editor') return personal.signIn('Sign in as the editor first.')
    const [kind = '', id = ''] = slug.split('/')
    const editable = personal.editableFields(kind)
    if (editable === undefined) return undefined
    const form = await readForm(req)
    for (const name of editable.fields)
      if (form.get(name) !== null)
        await context.db.all(`update ${editable.table} set ${name} = $1 where slug = $2`, form.get(name), id)
    if (kind !== 'prices')
      await context.db.all(`update ${editable.table} set changed = now() where slug = $1`, id)
    const list = kind === 'prices' ? '/shop' : `/${kind}`
    // Newest notices and stories stand in every footer, so an edit changes every page that shows them.
    const everywhere = kind === 'prices' ? [`${list}/${id}`, list, '/'] : await this.#allPaths(context)
    await tellOfChange(this.#options.eventTarget, `${kind} ${id} edited`, everywhere)
    redirect(res, `${list}/${id}`)
    return 'done'
  }

  #publishNotice: Handler = async ({ req, res, context }) => {
    if (context.person?.role !== 'editor') return personal.signIn('Sign in as the editor first.')
    const form = await readForm(req)
    const title = form.get('title') ?? ''
    const slug = slugOf(title)
    const [made] = await context.db.all<{ slug: string }>(
      'insert into notices (slug, title, body, quay) values ($1, $2, $3, $4) on conflict do nothing returning slug',
      slug,
      title,
      form.get('body') ?? '',
      form.get('quay') ?? 'old-pier',
    )
    if (made === undefined)
      return { title: 'New notice', body: '<h1>There is a notice by this title already</h1>' }
    await tellOfChange(this.#options.eventTarget, `notices ${slug} published`, await this.#allPaths(context))
    redirect(res, `/notices/${slug}`)
    return 'done'
  }

  async #allPaths({ db }: PageContext): Promise<string[]> {
    const paths = ['/', '/timetables', '/quays', '/notices', '/stories', '/shop', '/gallery']
    for (const [path, table] of [
      ['timetables', 'routes'],
      ['quays', 'quays'],
      ['notices', 'notices'],
      ['stories', 'stories'],
      ['shop', 'items'],
      ['gallery', 'albums'],
    ])
      for (const { slug } of await db.all(`select slug from ${table}`)) paths.push(`/${path}/${slug}`)
    return paths
  }

  #putIntoBasket: Handler = async ({ req, res, context }) => {
    const form = await readForm(req)
    const token = cookies(req).get('ferry_basket') ?? randomBytes(12).toString('hex')
    await context.db.all(
      'insert into baskets values ($1, $2, 1) on conflict (token, item) do update set amount = baskets.amount + 1',
      token,
      form.get('item'),
    )
    redirect(res, '/basket', `ferry_basket=${token}; Path=/; HttpOnly; SameSite=Lax`)
    return 'done'
  }

  #comment: Handler = async ({ req, res, context, slug }) => {
    const form = await readForm(req)
    await context.db.all(
      'insert into comments (story, name, body) values ($1, $2, $3)',
      slug,
      escapeHtml(form.get('name') ?? ''),
      form.get('body') ?? '',
    )
    await tellOfChange(this.#options.eventTarget, `comment on ${slug}`, [`/stories/${slug}`, '/'])
    const name = encodeURIComponent(form.get('name') ?? '')
    redirect(res, `/stories/${slug}`, `comment_author=${name}; Path=/; Max-Age=2592000; SameSite=Lax`)
    return 'done'
  }
}
