import type { Site } from '../../core/contracts/sites.ts'
import { median } from '../../core/stats/median.ts'
import type { WaitSample } from '../../core/upkeep/compare-waits.ts'
import { plainFileOf } from './plain-file.ts'
import { AS_MADE, askedSiteOf, askSite } from '../net/asked-site.ts'
import { OutsideFailure } from '../net/outside-request.ts'

const PAGES = 4
const ROUNDS = 12
const MOST_BYTES = 8 * 1024 * 1024
/** Queries that a page needed, where the site says it (Server-Timing, W3C; the name is common practice). */
const QUERIES = /\bqueries;(?:[^,]*;)?desc="?(\d+)/

interface Asked {
  readonly ms: number
  readonly queries: number | null
  readonly body: Buffer
}

const ask = async (site: Site, path: string): Promise<Asked | undefined> => {
  try {
    const { status, tookMs, fields, body } = await askSite(askedSiteOf(site), path, AS_MADE, MOST_BYTES)
    const [, queries] = QUERIES.exec(fields.get('server-timing') ?? '') ?? []
    return status === 200 ? { ms: tookMs, queries: queries === undefined ? null : Number(queries), body } : undefined
  } catch (error) {
    if (error instanceof OutsideFailure) return undefined
    throw error
  }
}

/** One question to the site’s own server, ms; undefined: it did not answer. */
export const waitOnce = async (site: Site): Promise<number | undefined> =>
  (await ask(site, site.sample[0]?.path ?? '/'))?.ms

/** How long pages of the sample take at the site’s own server, asked one after the other in several rounds. */
export const sampleWaits = async (site: Site, signal: AbortSignal): Promise<WaitSample> => {
  const paths = (site.sample.length === 0 ? ['/'] : site.sample.map(({ path }) => path)).slice(0, PAGES)
  const [waits, files, queries]: [number[], number[], number[]] = [[], [], []]
  const first = await ask(site, paths[0] ?? '/')
  const file = first === undefined ? undefined : plainFileOf(first.body.toString('utf8'), askedSiteOf(site).named)
  // The first round only warms up what keeps results.
  for (let round = 0; round <= ROUNDS; round++) {
    const some: number[] = []
    for (const path of paths) {
      signal.throwIfAborted()
      const answer = await ask(site, path)
      if (answer === undefined) continue
      some.push(answer.ms)
      if (answer.queries !== null && round > 0) queries.push(answer.queries)
    }
    const plain = file === undefined ? undefined : await ask(site, file)
    if (round === 0 || some.length < paths.length) continue
    waits.push(some.reduce((sum, ms) => sum + ms, 0) / some.length)
    if (plain !== undefined) files.push(plain.ms)
  }
  return {
    waits,
    files: files.length === waits.length ? files : undefined,
    queries: queries.length === 0 ? null : median(queries),
  }
}
