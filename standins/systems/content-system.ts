import { randomUUID } from 'node:crypto'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Habits } from './habits.ts'
import { Pages, PAGE_SIZE, type Viewer } from './pages.ts'
import { firstPosts, makePost, type Post } from './posts.ts'

/** Accounts of every made-up system, by name. */
export const ACCOUNTS: Readonly<
  Record<string, { readonly password: string; readonly shown: string; readonly edits: boolean }>
> = {
  ingrid: { password: 'herring', shown: 'Ingrid Vale', edits: false },
  osric: { password: 'mussels', shown: 'Osric Thane', edits: false },
  editor: { password: 'lanterns', shown: 'Merrick Holm', edits: true },
}

interface Session {
  name: string | undefined
  readonly basket: string[]
  /** Made for this session alone: its forms are refused with any other. */
  readonly nonce: string
}

const COOKIE = 'portal_session'
/** Same for all who are signed out, as with systems whose tokens stand for a user and half a day. */
const GUEST_NONCE = 'f3c19a7b20'

const cookieOf = (req: IncomingMessage, name: string): string | undefined =>
  (req.headers.cookie ?? '')
    .split('; ')
    .find((pair) => pair.startsWith(`${name}=`))
    ?.slice(name.length + 1)

const bodyOf = async (req: IncomingMessage): Promise<string> => {
  const chunks: Buffer[] = []
  for await (const chunk of req) chunks.push(chunk as Buffer)
  return Buffer.concat(chunks).toString()
}

/** A made-up content system with the habits given, in memory. */
export class ContentSystem {
  readonly habits: Habits
  readonly posts: Post[]
  /** Requests that it has answered: method and target. */
  readonly asked: string[] = []
  readonly #pages: Pages
  readonly #sessions = new Map<string, Session>()
  readonly #server: Server
  #changedAt: number

  constructor(habits: Habits, now = Date.now()) {
    this.habits = habits
    this.posts = firstPosts(now)
    this.#changedAt = now
    this.#pages = new Pages(habits, this.posts)
    this.#server = createServer((req, res) => {
      this.asked.push(`${req.method} ${req.url}`)
      this.#answer(req, res).catch((error: Error) => res.writeHead(500).end(error.message))
    })
  }

  /** @returns the address it answers at */
  async open(): Promise<string> {
    await new Promise<void>((done) => this.#server.listen(0, '127.0.0.1', done))
    return `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}`
  }

  close(): void {
    this.#server.close()
    this.#server.closeAllConnections()
  }

  #post(id: number): Post {
    const post = this.posts.find((one) => one.id === id)
    if (post === undefined) throw new RangeError(`There is no post ${id}.`)
    return post
  }

  /** Change a post where no request of delivery is seen, as an editor in another building does. */
  edit(id: number, change: Partial<Pick<Post, 'title' | 'text'>>): Post {
    const post = this.#post(id)
    Object.assign(post, change, { changedAt: Date.now() })
    this.#changedAt = Date.now()
    return post
  }

  /** A new post; due later where the time lies ahead. */
  add(title: string, publishedAt = Date.now()): Post {
    const post = makePost(this.posts.length + 1, title, publishedAt)
    if (publishedAt > Date.now()) post.state = 'scheduled'
    this.posts.unshift(post)
    this.#changedAt = Date.now()
    return post
  }

  async #answer(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const { publicAddress, scheduled } = this.habits
    const host = req.headers.host ?? ''
    const scheme = String(req.headers['x-forwarded-proto'] ?? 'http')
    if (publicAddress !== undefined && `${scheme}://${host}` !== publicAddress)
      return void res.writeHead(301, { location: publicAddress + (req.url ?? '/') }).end()
    const url = new URL(req.url ?? '/', `${scheme}://${host}`)
    const viewer = this.#viewer(req, res, url.origin)
    if (scheduled && url.pathname === '/cron/run') return this.#runDue(res)
    if (req.method === 'POST' || req.method === 'PUT') return this.#take(req, res, url, viewer)
    if (url.pathname === '/sign-out') {
      this.#sessions.delete(cookieOf(req, COOKIE) ?? '')
      res.setHeader('set-cookie', `${COOKIE}=; path=/; max-age=0`)
      return void res.writeHead(302, { location: '/' }).end()
    }
    // Whether the browser takes cookies at all is tried where it matters.
    if (url.pathname === '/sign-in') res.appendHeader('set-cookie', 'cookie_check=works; path=/')
    const feed = this.#pages.machineAnswer(url, this.#changedAt)
    if (feed !== undefined) return this.#sendConditionally(req, res, feed)
    const page = this.#pages.page(url, viewer)
    if (page === undefined)
      return void res.writeHead(404, { 'content-type': 'text/html' }).end('<title>Not found</title><p>Nothing here.')
    res.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(page)
  }

  /** Who asks; everybody gets a session where that is the habit, and its pages say that they may not be stored. */
  #viewer(req: IncomingMessage, res: ServerResponse, own: string): Viewer {
    let id = cookieOf(req, COOKIE)
    let session = this.#sessions.get(id ?? '')
    if (session === undefined && this.habits.sessions === 'everybody') {
      id = randomUUID()
      session = { name: undefined, basket: [], nonce: randomUUID().slice(0, 8) }
      this.#sessions.set(id, session)
      res.setHeader('set-cookie', `${COOKIE}=${id}; path=/; HttpOnly`)
    }
    if (this.habits.sessions === 'everybody') res.setHeader('cache-control', 'no-store, no-cache, must-revalidate')
    else if (session !== undefined) res.setHeader('cache-control', 'no-cache, must-revalidate, max-age=0')
    const account = session?.name === undefined ? undefined : ACCOUNTS[session.name]
    return {
      name: account?.shown,
      edits: account?.edits === true,
      basket: session?.basket ?? [],
      nonce: account === undefined || session === undefined ? GUEST_NONCE : session.nonce,
      commenter: cookieOf(req, 'commenter_name'),
      own,
    }
  }

  #runDue(res: ServerResponse): void {
    for (const post of this.posts)
      if (post.state === 'scheduled' && post.publishedAt <= Date.now()) {
        post.state = 'published'
        this.#changedAt = Date.now()
      }
    res.writeHead(200, { 'content-type': 'text/plain', 'cache-control': 'no-store' }).end('done')
  }

  #sendConditionally(req: IncomingMessage, res: ServerResponse, feed: { type: string; body: string }): void {
    const modified = new Date(this.#changedAt).toUTCString()
    if (req.headers['if-modified-since'] === modified) return void res.writeHead(304).end()
    res.writeHead(200, { 'content-type': feed.type, 'last-modified': modified }).end(feed.body)
  }

  async #take(req: IncomingMessage, res: ServerResponse, { pathname, origin }: URL, viewer: Viewer): Promise<void> {
    const text = await bodyOf(req)
    const form = new URLSearchParams(text)
    if (pathname === '/sign-in') return this.#signIn(res, form)
    if (pathname === '/basket') {
      viewer.basket.push(form.get('item') ?? '')
      return void res.writeHead(303, { location: `${origin}/basket` }).end()
    }
    if (pathname === '/comments') return this.#comment(res, form, viewer, origin)
    if (pathname === '/api/content' && viewer.edits) {
      const { id: post, ...change } = JSON.parse(text) as { id: number; title?: string; text?: string; approve?: true }
      if (change.approve === true) for (const comment of this.#post(post).comments) comment.state = 'approved'
      this.edit(post, {
        ...(change.title === undefined ? {} : { title: change.title }),
        ...(change.text === undefined ? {} : { text: change.text }),
      })
      return void res.writeHead(200, { 'content-type': 'application/json' }).end('{"saved":true}')
    }
    const edited = this.#pages.postAt(pathname)
    if (edited !== undefined && viewer.edits) {
      this.edit(edited.id, { text: form.get('text') ?? '' })
      return void res.writeHead(303, { location: `${origin}${pathname}` }).end()
    }
    res.writeHead(403, { 'content-type': 'text/plain' }).end('not allowed')
  }

  #signIn(res: ServerResponse, form: URLSearchParams): void {
    const name = form.get('name') ?? ''
    if (ACCOUNTS[name] === undefined || ACCOUNTS[name].password !== form.get('password'))
      return void res.writeHead(403, { 'content-type': 'text/plain' }).end('wrong name or password')
    const id = randomUUID()
    this.#sessions.set(id, { name, basket: [], nonce: randomUUID().slice(0, 8) })
    res.setHeader('set-cookie', [
      `${COOKIE}=${id}; path=/; HttpOnly`,
      // How the editor's area was left; it stays after signing out.
      ...(ACCOUNTS[name].edits ? ['desk_layout_2=wide; path=/; max-age=31536000'] : []),
    ])
    res.writeHead(303, { location: '/' }).end()
  }

  #comment(res: ServerResponse, form: URLSearchParams, viewer: Viewer, origin: string): void {
    const post = this.posts.find(({ id }) => id === Number(form.get('to')))
    if (post === undefined || form.get('nonce') !== viewer.nonce)
      return void res.writeHead(403, { 'content-type': 'text/plain' }).end('this form is not yours')
    const by = viewer.name ?? form.get('by') ?? 'Somebody'
    post.comments.push({ by, text: form.get('text') ?? '', state: 'waiting' })
    const number = post.comments.length
    res.setHeader('set-cookie', `commenter_name=${encodeURIComponent(by)}; path=/; max-age=31536000`)
    const back = `${origin}${this.#pages.addressOf(post)}?awaiting=${number}&moderation=${randomUUID().slice(0, 8)}#c${number}`
    res.writeHead(302, { location: back }).end()
  }

  /** How many posts a list shows at a time. */
  static readonly pageSize = PAGE_SIZE
}
