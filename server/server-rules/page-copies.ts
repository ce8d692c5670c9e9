import type { Setup } from '../../core/contracts/setup.ts'
import type { OwnerLifetimes } from '../../core/http/freshness.ts'
import { whyNoPageFile } from '../../core/server-rules/page-file-decision.ts'
import { dayFile, goodDays, pageFile } from '../../core/server-rules/page-file-names.ts'
import { seconds, type EpochMs } from '../../core/time.ts'
import type { OutsideAnswer } from '../net/outside-request.ts'
import type { CopiedAddress } from './copy-site.ts'

/** A file below the folder of a site. */
export interface SiteFile {
  readonly name: string
  readonly content: string | Buffer
}

/** The owner's lifetimes for what gives none, as delivery uses them. */
export const ownerLifetimes = ({ remedies: { pageCache } }: Setup): OwnerLifetimes => ({
  pages: seconds(pageCache.lifetimeS),
  files: seconds(pageCache.fileLifetimeS),
  api: seconds(pageCache.apiLifetimeS),
})

/** Why an answer of the content system is not written as a page's file; undefined: it may be. @param carried fields that the server adds to files too */
export const whyNotWritten = (
  { status, fields, setCookies, body }: OutsideAnswer,
  owner: OwnerLifetimes,
  carried: ReadonlySet<string>,
  now: EpochMs,
): string | undefined =>
  whyNoPageFile(
    {
      status,
      fields: [...fields, ...setCookies.map((line): [string, string] => ['set-cookie', line])],
      responseTime: now,
    },
    body.toString('utf8'),
    owner,
    carried,
  )

/** What the folder of a site would hold with its pages stored in it. @param copied pages and files as the server sent them */
export const pageCopies = (copied: readonly CopiedAddress[], live: Setup, now: EpochMs): SiteFile[] => {
  const owner = ownerLifetimes(live)
  // Fields of a server's own settings stand on files as on pages.
  const carried = new Set(copied.filter(({ use }) => use !== 'page').flatMap(({ answer }) => [...answer.fields.keys()]))
  const pages = copied.flatMap(({ path, use, answer }): SiteFile[] => {
    const name = pageFile(path)
    if (use !== 'page' || name === undefined || whyNotWritten(answer, owner, carried, now) !== undefined) return []
    return [{ name, content: answer.body }]
  })
  return [...pages, ...goodDays(now).map((day) => ({ name: dayFile(day), content: '' }))]
}
