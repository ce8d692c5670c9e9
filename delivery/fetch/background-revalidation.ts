import { inBackground } from '../../core/in-background.ts'
import { keyAddress, keyPartition } from '../../core/cache/cache-key.ts'
import { DATA_ACCEPT, PAGE_ACCEPT } from '../../core/http/device.ts'
import type { Fields } from '../../core/http/fields.ts'
import { revalidateOnce } from './revalidate.ts'
import { isForData, isForPhones, isWithPicture, targetOfKey } from '../cache-keys/partitions.ts'
import type { FetchIo, FetchContext } from './fetch-context.ts'
import { publicHost } from '../request/parse-request.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { upTo } from '../../core/http/up-to.ts'

/** Refreshes at a time: the origin has just been busy saving a change, and visitors need it too. */
const AT_ONCE = 2
/** Longest queue; what is left out is refreshed by its next visitor, who is given the stale copy meanwhile. */
const MOST_WAITING = 5000

/** The request that would have brought this copy about. Undefined when no setup serves its address any more. */
export const contextFor = (io: FetchIo, { key, nominated }: StoredEntry): FetchContext | undefined => {
  const { protocol, hostname } = new URL(keyAddress(key))
  // As it was asked for: a parser of addresses would write some of them in another way.
  const target = targetOfKey(key)
  const path = upTo(target, '?')
  const route = io.routes().get(hostname)
  const partition = keyPartition(key)
  if (route === undefined || !partition.startsWith(route.partition)) return undefined
  const scheme = protocol === 'https:' ? 'https' : 'http'
  const known = nominated.flatMap(([name, value]) => (value === null ? [] : [[name, value] as const]))
  const device: Fields = isForPhones(key) ? [['sec-ch-ua-mobile', '?1']] : []
  const accept = isForData(key) ? DATA_ACCEPT : isWithPicture(key) ? PAGE_ACCEPT : undefined
  const forms: Fields = accept !== undefined && !known.some(([name]) => name === 'accept') ? [['accept', accept]] : []
  return {
    io,
    route,
    visitor: {
      address: '127.0.0.1',
      hostName: hostname,
      host: publicHost(hostname, scheme, io),
      scheme,
    },
    method: 'GET',
    target,
    path,
    fields: [...device, ...forms, ...known],
    rule: route.ruleFor(path),
    audience: { kind: 'everyone' },
    background: 'refresh',
  }
}

/** Fetches again what was marked stale, without waiting for a visitor to ask. */
export class BackgroundRevalidation {
  readonly #io: FetchIo
  readonly #waiting: StoredEntry[] = []
  #busy = 0

  constructor(io: FetchIo) {
    this.#io = io
  }

  add(stale: readonly StoredEntry[]): void {
    this.#waiting.push(...stale.slice(0, Math.max(0, MOST_WAITING - this.#waiting.length)))
    while (this.#busy < AT_ONCE && this.#waiting.length > 0)
      inBackground(this.#work(), (error) => this.#io.report(error, { refreshing: 'after a purge' }))
  }

  /** Copies of a site that wait. */
  waiting(siteId: string): number {
    return this.#waiting.filter(({ key }) => key.startsWith(`${siteId}/`)).length
  }

  async #work(): Promise<void> {
    this.#busy++
    for (let next = this.#waiting.shift(); next !== undefined; next = this.#waiting.shift()) {
      const context = contextFor(this.#io, next)
      if (context !== undefined) await revalidateOnce(context, next.key, next)
    }
    this.#busy--
  }
}
