import type { RehearsedUse } from '../../core/contracts/server-rules.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { filesOfPage } from '../../core/page/transforms/named-files.ts'
import { JobFailure } from '../jobs/job-queue.ts'
import { askSite, type AskedSite } from '../net/asked-site.ts'
import { OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'

/** An address of a site with the answer of its server. */
export interface CopiedAddress {
  /** Path and query. */
  readonly path: string
  readonly use: RehearsedUse
  readonly answer: OutsideAnswer
  /** Fields of the answer when compression was allowed, names in lower case. */
  readonly real: Readonly<Record<string, string>>
}

const MOST_BYTES = 8 * 1024 * 1024
const MOST_BYTES_IN_ALL = 48 * 1024 * 1024
/** Styles and scripts can break on a rule; of other files one of each extension shows what becomes of all. */
const MOST_FILES = 60
const ONE_OF_EACH: readonly RehearsedUse[] = ['image', 'font', 'other']

/** How the server of a site is asked for it. */
export const askedSiteOf = ({ address, publicAddress, hosts }: Site): AskedSite => ({
  base: address,
  named: publicAddress ?? address,
  reach: hosts.privateAddresses,
})

const extensionOf = (path: string): string =>
  /\.[0-9A-Za-z]{1,10}$/.exec(path.split('?', 1)[0] ?? '')?.[0].toLowerCase() ?? ''

/** Files of the site itself that its pages name: every style and script, and one of each other type. */
const filesToCopy = (pages: readonly CopiedAddress[], { named }: AskedSite): Pick<CopiedAddress, 'path' | 'use'>[] => {
  const found = new Map<string, Pick<CopiedAddress, 'path' | 'use'>>()
  const seen = new Set<string>()
  const { host } = new URL(named)
  for (const { path, answer } of pages) {
    if (!isHtml([['content-type', answer.fields.get('content-type') ?? '']])) continue
    const address = new URL(path, named)
    for (const file of filesOfPage(answer.body.toString('utf8'), address)) {
      const url = new URL(file.address)
      const target = url.pathname + url.search
      const extension = extensionOf(target)
      if (url.host !== host || found.has(target) || found.size >= MOST_FILES) continue
      if (ONE_OF_EACH.includes(file.kind) && seen.has(extension)) continue
      seen.add(extension)
      found.set(target, { path: target, use: file.kind })
    }
  }
  return [...found.values()]
}

/** Ask for one address: as it is, and as a browser would that takes compression. */
const copyOne = async (site: AskedSite, path: string, use: RehearsedUse): Promise<CopiedAddress> => {
  const answer = await askSite(site, path, { 'accept-encoding': 'identity' }, MOST_BYTES)
  const coded = await askSite(site, path, { 'accept-encoding': 'gzip, br' }, MOST_BYTES)
  return { path, use, answer, real: Object.fromEntries(coded.fields) }
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
    for (const { path } of site.sample) await copy(path, 'page', site.sample.length)
    const files = filesToCopy(copied, asked)
    const total = copied.length + files.length
    for (const { path, use } of files) await copy(path, use, total).catch(skipFile)
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
