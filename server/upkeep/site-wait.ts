import type { WaitComparison } from '../../core/contracts/clean-up.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { median } from '../../core/stats/median.ts'
import { unpairedShift } from '../../core/stats/unpaired-shift.ts'
import type { WaitSample } from '../db/upkeep-schema.ts'
import { askSite } from '../net/asked-site.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { askedSiteOf } from '../server-rules/copy-site.ts'

const PAGES = 4
const ROUNDS = 12
const MOST_BYTES = 8 * 1024 * 1024
/** Queries that a page needed, where the site says it (Server-Timing, W3C; the name is common practice). */
const QUERIES = /\bqueries;(?:[^,]*;)?desc="?(\d+)/

const ask = async (site: Site, path: string): Promise<{ ms: number; queries: number | null } | undefined> => {
  try {
    const { status, tookMs, fields } = await askSite(askedSiteOf(site), path, {}, MOST_BYTES)
    const [, queries] = QUERIES.exec(fields.get('server-timing') ?? '') ?? []
    return status === 200 ? { ms: tookMs, queries: queries === undefined ? null : Number(queries) } : undefined
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
  const [waits, queries]: [number[], number[]] = [[], []]
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
    if (round > 0 && some.length === paths.length) waits.push(some.reduce((sum, ms) => sum + ms, 0) / some.length)
  }
  return { waits, queries: queries.length === 0 ? null : median(queries) }
}

const words = (ms: number): string => (ms >= 1000 ? `${(ms / 1000).toFixed(2)} s` : `${Math.round(ms)} ms`)

/** What a clean-up was worth: waits before and after, with an honest verdict. @returns null when there are too few to tell */
export const compareWaits = (before: WaitSample, after: WaitSample): WaitComparison | null => {
  const shift = unpairedShift(before.waits, after.waits)
  if (shift === undefined) return null
  const sides = [before, after].map(({ waits, queries }) => ({ msWait: median(waits), queries })) as [
    WaitComparison['before'],
    WaitComparison['after'],
  ]
  const [b, a] = sides
  // A difference that nobody notices is none, however sure it is.
  const matters = Math.abs(shift.shift) >= Math.max(5, b.msWait * 0.03)
  const verdict =
    !matters || (shift.low <= 0 && shift.high >= 0) ? 'no-measurable-difference' : shift.shift > 0 ? 'faster' : 'slower'
  const said = {
    faster: `The site’s own server answers ${words(Math.abs(shift.shift))} sooner`,
    slower: `The site’s own server answers ${words(Math.abs(shift.shift))} later`,
    'no-measurable-difference': 'No measurable difference for visitors',
  }[verdict]
  const asked =
    a.queries === null || b.queries === null || a.queries === b.queries
      ? ''
      : ` Queries per page: ${b.queries} before, ${a.queries} after.`
  return {
    before: b,
    after: a,
    verdict,
    sentence: `${said}: ${words(b.msWait)} before, ${words(a.msWait)} after, per page of the sample.${asked}`,
  }
}
