import type { RehearsedUse } from '../../core/contracts/server-rules.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { filesOfPage, filesOfSheet, type NamedFile } from '../../core/page/transforms/named-files.ts'
import { JobFailure } from '../jobs/job-queue.ts'
import { askedSiteOf, askSite, type AskedSite } from '../net/asked-site.ts'
import { OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'

/** An address of a site with the answer of its server. */
export interface CopiedAddress {
  /** Path and query. */
  readonly path: string
  readonly use: RehearsedUse
  readonly answer: OutsideAnswer
  /** The answer when compression was allowed; names of fields in lower case. */
  readonly real: { readonly status: number; readonly fields: Readonly<Record<string, string>> }
}

const MOST_BYTES = 8 * 1024 * 1024
const MOST_BYTES_IN_ALL = 48 * 1024 * 1024
/** Styles and scripts can break on a rule; of other files one of each extension shows what becomes of all. */
const MOST_COPIED = 70
const ONE_OF_EACH: readonly RehearsedUse[] = ['image', 'font', 'other']

const extensionOf = (path: string): string =>
  /\.[0-9A-Za-z]{1,10}$/.exec(path.split('?', 1)[0] ?? '')?.[0].toLowerCase() ?? ''

/** Files that a page or a style sheet names. */
const namedBy = ({ path, use, answer }: CopiedAddress, { named }: AskedSite): NamedFile[] => {
  const address = new URL(path, named)
  const text = answer.body.toString('utf8')
  if (use === 'style') return filesOfSheet(text, address)
  return isHtml([['content-type', answer.fields.get('content-type') ?? '']]) ? filesOfPage(text, address) : []
}

/** Files of the site itself that are named and not copied yet: every style and script, and one of each other type. */
const filesToCopy = (copied: readonly CopiedAddress[], site: AskedSite): Pick<CopiedAddress, 'path' | 'use'>[] => {
  const known = new Set(copied.map(({ path }) => path))
  const seen = new Set(copied.filter(({ use }) => ONE_OF_EACH.includes(use)).map(({ path }) => extensionOf(path)))
  const found: Pick<CopiedAddress, 'path' | 'use'>[] = []
  const { host } = new URL(site.named)
  for (const { address, kind } of copied.flatMap((one) => namedBy(one, site))) {
    const url = new URL(address)
    const path = url.pathname + url.search
    const extension = extensionOf(path)
    if (url.host !== host || known.has(path) || known.size >= MOST_COPIED) continue
    if (ONE_OF_EACH.includes(kind) && seen.has(extension)) continue
    seen.add(extension)
    known.add(path)
    found.push({ path, use: kind })
  }
  return found
}

/** Ask for one address: as it is, and as a browser would that takes compression. */
const copyOne = async (site: AskedSite, path: string, use: RehearsedUse): Promise<CopiedAddress> => {
  const answer = await askSite(site, path, { 'accept-encoding': 'identity' }, MOST_BYTES)
  const coded = await askSite(site, path, { 'accept-encoding': 'gzip, br' }, MOST_BYTES)
  return { path, use, answer, real: { status: coded.status, fields: Object.fromEntries(coded.fields) } }
}

/**
 * Copy what a rehearsal asks for: the pages of the sample and the files they name. One after the other: a weak host must not feel it.
 * @param told of each address before it is asked
 * @throws JobFailure when the server does not answer
 */
export const copySite = async (
  site: Site,
  told: (done: number, total: number, path: string) => Promise<void>,
  signal: AbortSignal,
): Promise<CopiedAddress[]> => {
  const asked = askedSiteOf(site)
  const copied: CopiedAddress[] = []
  let bytes = 0
  const copy = async (path: string, use: RehearsedUse, total: number): Promise<void> => {
    if (bytes > MOST_BYTES_IN_ALL || signal.aborted) return
    await told(copied.length, total, path)
    const one = await copyOne(asked, path, use)
    bytes += one.answer.body.length
    copied.push(one)
  }
  try {
    const pages = site.sample.length === 0 ? ['/'] : site.sample.map(({ path }) => path)
    for (const path of pages) await copy(path, 'page', pages.length)
    // What pages name first, and then what their style sheets name: fonts, for instance.
    for (let round = 0; round < 2; round++) {
      const files = filesToCopy(copied, asked)
      const total = copied.length + files.length
      for (const { path, use } of files) await copy(path, use, total).catch(skipFile)
    }
  } catch (error) {
    if (!(error instanceof OutsideFailure)) throw error
    throw new JobFailure(`Your server could not be copied from. ${error.message}`)
  }
  return copied
}

/** A file that is too large or does not come is no reason to give the rehearsal up. */
const skipFile = (error: unknown): void => {
  if (!(error instanceof OutsideFailure)) throw error
}
