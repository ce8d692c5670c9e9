import { request, type IncomingHttpHeaders } from 'node:http'
import { CookieJar } from '../core/http/cookie-jar.ts'

/** An answer of live, as its visitor gets it. */
export interface VisitorAnswer {
  readonly status: number
  readonly headers: IncomingHttpHeaders
  readonly text: string
  readonly cacheStatus: string
  /** Path and query that it was found at, redirects followed. */
  readonly path: string
}

const MOST_REDIRECTS = 5

/** A visitor of one site, with cookies of their own, who follows redirects as a browser does. */
export class LiveVisitor {
  readonly cookies = new CookieJar()
  readonly #port: number
  readonly #host: string

  /** @param port of delivery @param host name of live */
  constructor(port: number, host: string) {
    this.#port = port
    this.#host = host
  }

  get(path: string): Promise<VisitorAnswer> {
    return this.#go('GET', path)
  }

  form(path: string, fields: Record<string, string>): Promise<VisitorAnswer> {
    const type = 'application/x-www-form-urlencoded'
    return this.#go('POST', path, { type, body: new URLSearchParams(fields).toString() })
  }

  json(path: string, body: unknown): Promise<VisitorAnswer> {
    return this.#go('POST', path, { type: 'application/json', body: JSON.stringify(body) })
  }

  async #go(
    method: string,
    path: string,
    content?: { type: string; body: string },
    redirects = MOST_REDIRECTS,
  ): Promise<VisitorAnswer> {
    const answer = await this.#once(method, path, content)
    const { location } = answer.headers
    if (answer.status < 300 || answer.status > 399 || location === undefined || redirects === 0) return answer
    const url = new URL(location, `http://${this.#host}:${this.#port}${path}`)
    if (url.hostname !== this.#host) throw new Error(`${path} leads away, to ${url.href}`)
    return this.#go('GET', url.pathname + url.search, undefined, redirects - 1)
  }

  #once(method: string, path: string, content?: { type: string; body: string }): Promise<VisitorAnswer> {
    const cookie = this.cookies.field
    return new Promise((done, reject) => {
      const outgoing = request(
        {
          host: '127.0.0.1',
          port: this.#port,
          method,
          path,
          agent: false,
          headers: {
            host: `${this.#host}:${this.#port}`,
            accept: 'text/html,*/*',
            ...(cookie === '' ? {} : { cookie }),
            ...(content === undefined
              ? {}
              : {
                  'content-type': content.type,
                  'content-length': Buffer.byteLength(content.body),
                  origin: `http://${this.#host}:${this.#port}`,
                  referer: `http://${this.#host}:${this.#port}/`,
                }),
          },
        },
        (res) => {
          this.cookies.take(res.headers['set-cookie'] ?? [])
          const chunks: Buffer[] = []
          res.on('data', (chunk: Buffer) => chunks.push(chunk))
          res.on('end', () =>
            done({
              status: res.statusCode!,
              headers: res.headers,
              text: Buffer.concat(chunks).toString(),
              cacheStatus: String(res.headers['cache-status'] ?? ''),
              path,
            }),
          )
        },
      )
      outgoing.on('error', reject)
      outgoing.end(content?.body)
    })
  }
}
