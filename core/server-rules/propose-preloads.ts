import type { RequestRecord, RunMetrics } from '../contracts/measuring.ts'
import { MOST_PRELOADS, RulesChoice, type PreloadProposal } from '../contracts/server-rules.ts'
import { MADE_FOLDER } from '../page/context/file-facts.ts'

/** What a page asked for, as it was looked at closely. */
export interface PageNeeds {
  readonly path: string
  /** Address of the page, on whatever host it was looked at. */
  readonly url: string
  readonly requests: readonly RequestRecord[]
  readonly metrics: Pick<RunMetrics, 'fcpMs'>
}

const KINDS = ['style', 'script', 'font'] as const
type Kind = (typeof KINDS)[number]
const isKind = (type: string): type is Kind => (KINDS as readonly string[]).includes(type)

/** Whether a page could not be shown, or not read, before a file had come. Fonts hold up the text that is set in them. */
const isNeededFirst = ({ type, blocks, startMs }: RequestRecord, fcpMs: number | null): boolean =>
  blocks !== 'nothing' || (type === 'font' && (fcpMs === null || startMs <= fcpMs))

/** The files that one page needed first, by their path. */
const neededFirst = ({ url, requests, metrics }: PageNeeds): Map<string, { kind: Kind; bytes: number }> => {
  const { origin } = new URL(url)
  const files = new Map<string, { kind: Kind; bytes: number }>()
  for (const request of requests) {
    const { type, method, status, sentBytes } = request
    if (!isKind(type) || method !== 'GET' || status !== 200 || !isNeededFirst(request, metrics.fcpMs)) continue
    const address = new URL(request.url)
    const path = address.pathname + address.search
    // What delivery makes is not on the owner's server.
    if (address.origin === origin && !path.startsWith(MADE_FOLDER)) files.set(path, { kind: type, bytes: sentBytes })
  }
  return files
}

/**
 * Files of the site that every page looked at needed before it could be shown: worth naming to browsers before the page arrives.
 * What only some pages need would delay the others, so it is not among them.
 * @param looks the newest close look at each page
 */
export const proposePreloads = (looks: readonly PageNeeds[]): PreloadProposal => {
  const pages = new Set(looks.map(({ path }) => path)).size
  const [first = new Map<string, { kind: Kind; bytes: number }>(), ...others] = looks.map(neededFirst)
  const files = [...first]
    .filter(([path]) => others.every((one) => one.has(path)))
    .map(([path, file]) => ({ path, ...file }))
    .filter(({ path }) => RulesChoice.shape.preloads.safeParse([path]).success)
  return { pages, files: files.slice(0, MOST_PRELOADS) }
}
