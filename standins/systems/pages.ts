import type { Habits } from './habits.ts'
import { slugOf, type Post } from './posts.ts'

/** Who looks at a page. */
export interface Viewer {
  readonly name: string | undefined
  readonly edits: boolean
  readonly basket: string[]
  readonly nonce: string
  readonly commenter: string | undefined
  /** Scheme and host that the system believes to be asked by. */
  readonly own: string
}

/** Posts that a list shows at a time. */
export const PAGE_SIZE = 6

const escape = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;')

interface Shown {
  readonly bodyClass: string
  readonly title: string
  readonly main: string
}

/** What a made-up content system shows at its addresses. */
export class Pages {
  readonly #habits: Habits
  readonly #posts: readonly Post[]

  constructor(habits: Habits, posts: readonly Post[]) {
    this.#habits = habits
    this.#posts = posts
  }

  addressOf({ slug, category }: Post): string {
    return this.#habits.addresses === 'flat' ? `/${slug}/` : `/${category}/${slug}`
  }

  #published(): Post[] {
    return this.#posts.filter(({ state }) => state === 'published').toSorted((a, b) => b.publishedAt - a.publishedAt)
  }

  postAt(pathname: string): Post | undefined {
    return this.#published().find((post) => this.addressOf(post) === pathname)
  }

  /** Feed, sitemap or robots.txt. */
  machineAnswer({ pathname, origin }: URL, changedAt: number): { type: string; body: string } | undefined {
    const all = this.#published()
    const absolute = (post: Post): string => origin + this.addressOf(post)
    if (pathname === '/robots.txt')
      return { type: 'text/plain', body: `User-agent: *\nSitemap: ${origin}/sitemap.xml\n` }
    if (pathname === '/sitemap.xml') {
      const dated = this.#habits.sitemap === 'dated'
      const date = (at: number): string => (dated ? `<lastmod>${new Date(at).toISOString()}</lastmod>` : '')
      const fixed = ['/', '/about'].map((path) => `<url><loc>${origin}${path}</loc>${date(changedAt)}</url>`)
      const posts = all.map((post) => `<url><loc>${absolute(post)}</loc>${date(post.changedAt)}</url>`)
      return {
        type: 'application/xml',
        body: `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">${[...fixed, ...posts].join('')}</urlset>`,
      }
    }
    if (pathname.replace(/\/$/, '') !== '/feed') return undefined
    const items = all
      .slice(0, PAGE_SIZE)
      .map(
        (post) =>
          `<item><title>${escape(post.title)}</title><link>${absolute(post)}</link><description>${escape(post.text.slice(0, 80))}</description></item>`,
      )
    return {
      type: 'application/rss+xml',
      body: `<rss version="2.0"><channel><title>${this.#habits.title}</title><link>${origin}/</link>${items.join('')}</channel></rss>`,
    }
  }

  /** A whole page; undefined: there is none at this address. */
  page(url: URL, viewer: Viewer): string | undefined {
    const shown = this.#shown(url, viewer)
    return shown === undefined ? undefined : this.#frame(shown, viewer)
  }

  #frame({ bodyClass, title, main }: Shown, viewer: Viewer): string {
    const { habits, own } = { habits: this.#habits, own: viewer.own }
    const whose =
      viewer.name === undefined
        ? '<a href="/sign-in">Sign in</a>'
        : `<p class="greeting">Signed in as ${viewer.name}. <a href="/sign-out">Sign out</a></p>`
    const basket = habits.shop ? `<p class="basket">${viewer.basket.length} in the basket</p>` : ''
    const due = habits.scheduled ? `<img src="${own}/cron/run" alt="" width="1" height="1" hidden>` : ''
    return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escape(title)} – ${habits.title}</title><link rel="alternate" type="application/rss+xml" href="${own}/feed/"></head><body class="${bodyClass}"><header><a href="${own}/">${habits.title}</a><nav><a href="${own}/about">About</a> <a href="${own}/category/notices/">Notices</a> <a href="${own}/category/stories/">Stories</a></nav>${whose}${basket}<form action="/search"><input name="q" aria-label="Search"></form></header><main>${main}</main><footer><p>${escape(this.#published()[0]?.title ?? '')}</p></footer>${due}</body></html>`
  }

  #shown(url: URL, viewer: Viewer): Shown | undefined {
    const { pathname, searchParams } = url
    if (pathname === '/about')
      return {
        bodyClass: 'page about',
        title: 'About us',
        main: '<article class="page-text"><h1>About us</h1><p>Nine quays, four vessels.</p></article>',
      }
    if (pathname === '/sign-in')
      return {
        bodyClass: 'sign-in',
        title: 'Sign in',
        main: '<form method="post" action="/sign-in"><input name="name" aria-label="Name"><input name="password" type="password" aria-label="Password"><button>Sign in</button></form>',
      }
    if (pathname === '/basket' && this.#habits.shop)
      return {
        bodyClass: 'basket',
        title: 'Basket',
        main: `<ul>${viewer.basket.map((item) => `<li>${escape(item)}</li>`).join('')}</ul>`,
      }
    if (pathname === '/search') {
      const wanted = (searchParams.get('q') ?? '').toLowerCase()
      const found = this.#published().filter(({ title }) => title.toLowerCase().includes(wanted))
      return this.#list('search', `Found for ${wanted}`, found, viewer, 1, '/search')
    }
    const post = this.postAt(pathname)
    return post === undefined ? this.#listAt(url, viewer) : this.#post(post, viewer, searchParams)
  }

  /** Home page, categories, authors and months, a few posts at a time. */
  #listAt({ pathname, searchParams }: URL, viewer: Viewer): Shown | undefined {
    const match = /^(.*?)\/page\/(\d+)\/?$/.exec(pathname)
    const base = (this.#habits.numbered === 'path' && match?.[1] !== undefined ? match[1] : pathname).replace(/\/$/, '')
    const page = Number((this.#habits.numbered === 'path' ? match?.[2] : searchParams.get('page')) ?? 1)
    const all = this.#published()
    if (base === '') return this.#list(page === 1 ? 'home' : 'list numbered', this.#habits.title, all, viewer, page, '')
    const [, kind, value] = /^\/(category|author|\d{4})\/([\w-]+)$/.exec(base) ?? []
    if (kind === undefined || value === undefined) return undefined
    const month = ({ publishedAt }: Post): string => new Date(publishedAt).toISOString().slice(0, 7)
    const own = all.filter((post) =>
      kind === 'category'
        ? post.category === value
        : kind === 'author'
          ? post.author === value
          : month(post) === `${kind}-${value}`,
    )
    return own.length === 0
      ? undefined
      : this.#list(`list by-${/^\d/.test(kind) ? 'date' : kind}`, `${kind} ${value}`, own, viewer, page, base)
  }

  #list(
    bodyClass: string,
    title: string,
    posts: readonly Post[],
    viewer: Viewer,
    page: number,
    base: string,
  ): Shown | undefined {
    const shown = posts.slice((page - 1) * PAGE_SIZE, page * PAGE_SIZE)
    if (shown.length === 0 && page > 1) return undefined
    const numbered =
      this.#habits.numbered === 'path' ? `${base}/page/${page + 1}/` : `${base === '' ? '/' : base}?page=${page + 1}`
    const next = posts.length > page * PAGE_SIZE ? `<a rel="next" href="${viewer.own}${numbered}">Older</a>` : ''
    const items = shown.map(
      (post) =>
        `<li class="entry"><h2><a href="${viewer.own}${this.addressOf(post)}">${escape(post.title)}</a></h2><p>${escape(post.text.slice(0, 60))}</p></li>`,
    )
    return { bodyClass, title, main: `<h1>${escape(title)}</h1><ul class="entries">${items.join('')}</ul>${next}` }
  }

  #post(post: Post, viewer: Viewer, query: URLSearchParams): Shown {
    const date = new Date(post.publishedAt)
    const [year, month] = date.toISOString().split('-')
    const visible = post.comments.filter(
      ({ by, state }, index) =>
        state === 'approved' ||
        (query.get('awaiting') === String(index + 1) && viewer.commenter === encodeURIComponent(by)),
    )
    const comments = visible.map(
      ({ by, text, state }) =>
        `<li>${escape(by)}: ${escape(text)}${state === 'waiting' ? ' (waits to be looked at)' : ''}</li>`,
    )
    const edit = viewer.edits ? `<a class="edit" href="/desk/edit?id=${post.id}">Edit this</a>` : ''
    const sale = this.#habits.shop
      ? `<form method="post" action="/basket"><input type="hidden" name="item" value="${slugOf(post.title)}"><button>Into the basket</button></form>`
      : ''
    return {
      bodyClass: `item number-${post.id}`,
      title: post.title,
      main: `<article itemscope itemtype="https://schema.org/Article" class="post"><h1>${escape(post.title)}</h1><p><time>${date.toISOString().slice(0, 10)}</time> by <a href="${viewer.own}/author/${post.author}/">${post.author}</a> in <a href="${viewer.own}/${year}/${month}/">${year}-${month}</a></p><div class="text">${escape(post.text)}</div>${edit}${sale}<ol class="comments">${comments.join('')}</ol><form method="post" action="/comments" class="comment-form"><input type="hidden" name="to" value="${post.id}"><input type="hidden" name="nonce" value="${viewer.nonce}"><input name="by" aria-label="Name"><textarea name="text" aria-label="Comment"></textarea><button>Send</button></form></article>`,
    }
  }
}
