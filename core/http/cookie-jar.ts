import { upTo } from './up-to.ts'
/** Cookies of one made-up visitor of one site; what a browser would send back, without expiry and paths, which do not matter within a minute. */
export class CookieJar {
  readonly #cookies = new Map<string, string>()

  constructor(field = '') {
    for (const pair of field.split(';')) {
      const mark = pair.indexOf('=')
      if (mark > 0) this.#cookies.set(pair.slice(0, mark).trim(), pair.slice(mark + 1).trim())
    }
  }

  take(setCookies: readonly string[]): this {
    for (const line of setCookies) {
      const pair = upTo(line, ';')
      const mark = pair.indexOf('=')
      if (mark <= 0) continue
      const [name, value] = [pair.slice(0, mark).trim(), pair.slice(mark + 1).trim()]
      // RFC 6265 §5.3: Max-Age of zero or less, or an empty value with an expiry, is how cookies are taken away.
      if (/;\s*max-age\s*=\s*(0|-\d+)/i.test(line) || value === '') this.#cookies.delete(name)
      else this.#cookies.set(name, value)
    }
    return this
  }

  forget(name: string): void {
    this.#cookies.delete(name)
  }

  get field(): string {
    return [...this.#cookies].map(([name, value]) => `${name}=${value}`).join('; ')
  }

  get pairs(): [string, string][] {
    return [...this.#cookies]
  }
}
