/** Keys that are noted by themselves; of a site with more, all leave. */
const MOST_KEYS = 10_000
const MOST_BYTES = 1_000_000

interface SiteBehind {
  readonly names: Set<string>
  bytes: number
}

/**
 * What was written while the server of the values was away, or may not have arrived there: it holds older values of these keys, which must be gone before
 * anybody reads from it again.
 */
export class Behind {
  readonly #sites = new Map<string, SiteBehind | 'all'>()
  readonly #onFirst: (siteIds: readonly string[]) => void

  /** @param all sites of which everything is behind @param onFirst told of all sites, when one is behind that was not before */
  constructor(all: readonly string[], onFirst: (siteIds: readonly string[]) => void) {
    for (const siteId of all) this.#sites.set(siteId, 'all')
    this.#onFirst = onFirst
  }

  get isEmpty(): boolean {
    return this.#sites.size === 0
  }

  /** @param names of keys, as they are called in the server; one byte a character */
  note(siteId: string, names: readonly string[]): void {
    const known = this.#sites.get(siteId)
    if (known === 'all' || names.length === 0) return
    const site = known ?? { names: new Set<string>(), bytes: 0 }
    for (const name of names) {
      if (site.names.has(name)) continue
      site.names.add(name)
      site.bytes += name.length
    }
    const isMuch = site.names.size > MOST_KEYS || site.bytes > MOST_BYTES
    this.#sites.set(siteId, isMuch ? 'all' : site)
    if (known === undefined) this.#onFirst([...this.#sites.keys()])
  }

  noteAll(siteId: string): void {
    const isFirst = !this.#sites.has(siteId)
    this.#sites.set(siteId, 'all')
    if (isFirst) this.#onFirst([...this.#sites.keys()])
  }

  /** What is behind of each site; all of it counts as done. */
  take(): [siteId: string, what: 'all' | readonly string[]][] {
    const all = [...this.#sites].map(([siteId, what]): [string, 'all' | readonly string[]] => [
      siteId,
      what === 'all' ? 'all' : [...what.names],
    ])
    this.#sites.clear()
    return all
  }
}
