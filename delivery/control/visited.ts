import { setImmediate } from 'node:timers/promises'
import type { Visited } from '../../core/contracts/warm-up.ts'
import type { FetchIo } from '../fetch/fetch-context.ts'

/** Addresses looked at before visitors' requests get their turn. */
const AT_A_TIME = 2000
/** Pages that are named. */
const MOST_PAGES = 1000

/** Which pages of live are asked for most, and over what. */
export const visitedPages = async (siteId: string, io: Pick<FetchIo, 'counters' | 'now'>): Promise<Visited> => {
  const pages: Visited['pages'] = []
  let looked = 0
  for (const { target, record } of io.counters.pages(siteId)) {
    if (++looked % AT_A_TIME === 0) await setImmediate()
    const { requests, firstAt } = record
    pages.push({ target, requests, watchedS: Math.max(0, (io.now() - firstAt) / 1000) })
  }
  pages.sort((a, b) => b.requests - a.requests)
  return { schemes: io.counters.schemes(siteId), pages: pages.slice(0, MOST_PAGES) }
}
