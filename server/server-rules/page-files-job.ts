import { createHash } from 'node:crypto'
import { dirname } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { and, desc, eq } from 'drizzle-orm'
import { ServerPagesOrder, type ServerPagesResult } from '../../core/contracts/server-pages.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { pathPatterns } from '../../core/http/patterns.ts'
import { filesOfPage } from '../../core/page/transforms/named-files.ts'
import { dayFile, goodDays, MARKS_FOLDER, pageFile } from '../../core/server-rules/page-file-names.ts'
import { epochMs } from '../../core/time.ts'
import { DeliveryUnavailable, type HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { sitemapPages } from '../db/schema.ts'
import { serverPageFiles } from '../db/server-rules-schema.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import { FileFailure, type FileServer } from '../files/file-server.ts'
import { filesBelow } from '../files/files-below.ts'
import { withFiles } from '../files/open-files.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { AS_MADE, askedSiteOf, askSite, type AskedSite } from '../net/asked-site.ts'
import { OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'
import { writeEntry } from '../release/ledger.ts'
import { liveSetup } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { ownerLifetimes, whyNotWritten } from './page-copies.ts'
import { changeServerPages, serverPagesRow } from './server-pages.ts'

type Needed = HasDatabase & HasDelivery & HasEvents & HasAddresses & HasFileAccess & HasClock

/** Read by the web server, whoever it runs as. */
const OPEN_TO_ALL = 0o644
const MOST_BYTES = 4 * 1024 * 1024
/** Half of the time is left to visitors, at most so long between two pages, ms. */
const LONGEST_PAUSE_MS = 2000
/** Reasons that are kept for the owner. */
const MOST_LEFT = 100
/** Files that are looked at below the folder of pages. */
const MOST_LOOKED_AT = 20_000
/** Above the file of the home page. */
const PAGES = dirname(pageFile('/') ?? '')
const AS_VISITORS_ASK = { ...AS_MADE, accept: 'text/html,*/*', 'accept-encoding': 'identity' }
/** What the rules say of a page that came from a file (RFC 9211). */
const FROM_FILE = /\bzest-files\b/

const digestOf = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('base64url')

interface KnownFile {
  readonly digest: string
  readonly bytes: number
}

/** What has been done to the files of a site so far. */
class PageFiles {
  readonly #needed: Needed
  readonly #siteId: string
  readonly #files: FileServer
  /** Pages whose file is there as it was written. */
  readonly #known = new Map<string, KnownFile>()
  readonly #folders = new Set<string>()
  readonly written: string[] = []
  unchanged = 0
  removed = 0
  readonly left: { path: string; why: string }[] = []

  constructor(needed: Needed, siteId: string, files: FileServer) {
    this.#needed = needed
    this.#siteId = siteId
    this.#files = files
  }

  /**
   * Look at what is there, and remove what belongs to none of the pages: nobody would renew it, and visitors would get it for good.
   * @param noted what was written according to the database
   */
  async lookAround(pages: readonly string[], noted: ReadonlyMap<string, KnownFile>): Promise<void> {
    await this.#files.makeFolder(PAGES)
    const { found } = await filesBelow(this.#files, { from: PAGES, most: MOST_LOOKED_AT })
    const byName = new Map(pages.map((path) => [pageFile(path), path]))
    for (const [name, bytes] of found) {
      const path = byName.get(name)
      const file = path === undefined ? undefined : noted.get(path)
      if (path === undefined) await this.#removeFile(name)
      // Of another size: somebody else has written it.
      else if (file?.bytes === bytes) this.#known.set(path, file)
    }
    for (const path of noted.keys()) if (!this.#known.has(path)) await this.#forget(path)
  }

  async #send(name: string, bytes: Buffer): Promise<void> {
    const folder = dirname(name)
    if (!this.#folders.has(folder)) await this.#files.makeFolder(folder)
    this.#folders.add(folder)
    await this.#files.write(name, { bytes, mode: OPEN_TO_ALL })
  }

  async write(path: string, name: string, bytes: Buffer): Promise<void> {
    const file = { digest: digestOf(bytes), bytes: bytes.length }
    if (this.#known.get(path)?.digest === file.digest) return void this.unchanged++
    await this.#send(name, bytes)
    this.#known.set(path, file)
    await this.#needed.db
      .insert(serverPageFiles)
      .values({ siteId: this.#siteId, path, ...file })
      .onConflictDoUpdate({ target: [serverPageFiles.siteId, serverPageFiles.path], set: file })
    this.written.push(path)
  }

  async remove(path: string): Promise<void> {
    const name = pageFile(path)
    if (name === undefined || !this.#known.has(path)) return
    await this.#removeFile(name)
    await this.#forget(path)
  }

  async #removeFile(name: string): Promise<void> {
    await this.#files.remove(name)
    this.removed++
  }

  async #forget(path: string): Promise<void> {
    this.#known.delete(path)
    await this.#needed.db
      .delete(serverPageFiles)
      .where(and(eq(serverPageFiles.siteId, this.#siteId), eq(serverPageFiles.path, path)))
  }

  /** Mark the days on which the files may be used. */
  async markDays(days: readonly string[]): Promise<void> {
    await this.#files.makeFolder(MARKS_FOLDER)
    const there = await this.#files.list(MARKS_FOLDER)
    const names = new Set(there.flatMap(({ name, kind }) => (kind === 'file' ? [name] : [])))
    for (const day of days) if (!names.has(day)) await this.#send(dayFile(day), Buffer.from('Good until its end.\n'))
    for (const name of names) if (!days.includes(name)) await this.#files.remove(dayFile(name))
  }
}

/** Pages of a site that may have a file, the most visited first. */
const pagesToWrite = async (needed: Needed, siteId: string, { remedies }: Setup, most: number): Promise<string[]> => {
  const { sample } = await getSite(needed, siteId)
  const known = await needed.db
    .select()
    .from(sitemapPages)
    .where(eq(sitemapPages.siteId, siteId))
    .orderBy(desc(sitemapPages.visits), desc(sitemapPages.priority), sitemapPages.path)
  const passes = pathPatterns(remedies.pageCache.passPaths)
  return [...new Set(['/', ...sample.map(({ path }) => path), ...known.map(({ path }) => path)])]
    .filter((path) => pageFile(path) !== undefined && !passes(path))
    .slice(0, most)
}

/** Names of fields that the server adds to a file of the site too, whatever the content system does. */
const fieldsOfFiles = async (site: AskedSite, home: OutsideAnswer): Promise<ReadonlySet<string>> => {
  const { host } = new URL(site.named)
  const file = filesOfPage(home.body.toString('utf8'), new URL('/', site.named)).find(
    ({ address }) => new URL(address).host === host,
  )
  if (file === undefined) return new Set()
  const answer = await askSite(site, file.address, {}, MOST_BYTES).catch((error: unknown) => {
    if (!(error instanceof OutsideFailure)) throw error
    return undefined
  })
  return new Set(answer?.status === 200 ? answer.fields.keys() : [])
}

const writeAll = async (
  files: PageFiles,
  { site, setup, paths }: { readonly site: AskedSite; readonly setup: Setup; readonly paths: readonly string[] },
  now: () => Date,
  { signal, report }: JobProgress,
): Promise<void> => {
  const owner = ownerLifetimes(setup)
  let carried: ReadonlySet<string> | undefined
  const began = performance.now()
  for (const [index, path] of paths.entries()) {
    signal.throwIfAborted()
    const each = (performance.now() - began) / Math.max(1, index)
    await report(index, paths.length, path, index === 0 ? null : each * (paths.length - index))
    const [asked, name] = [performance.now(), pageFile(path)]
    try {
      const answer = await askSite(site, path, AS_VISITORS_ASK, MOST_BYTES)
      if (FROM_FILE.test(answer.fields.get('cache-status') ?? ''))
        throw new JobFailure(
          'Your server hands out its files even to requests that must reach the content system. Rehearse the rules again, and put them there.',
        )
      carried ??= await fieldsOfFiles(site, answer)
      const why = whyNotWritten(answer, owner, carried, epochMs(now().getTime()))
      if (why === undefined && name !== undefined) await files.write(path, name, answer.body)
      else {
        files.left.push({ path, why: why ?? '' })
        // A server in trouble is no reason to send visitors to it.
        if (answer.status < 500) await files.remove(path)
      }
    } catch (error) {
      if (!(error instanceof OutsideFailure)) throw error
      files.left.push({ path, why: error.message })
    }
    await wait(Math.min(LONGEST_PAUSE_MS, performance.now() - asked), undefined, { signal })
  }
}

/** Delivery may have taken a page before from its file, behind the change that was told. */
const purgeBehind = async ({ delivery }: Needed, siteId: string, paths: readonly string[]): Promise<void> => {
  if (paths.length === 0) return
  await delivery
    .purge({ siteId, what: { kind: 'paths', paths: [...paths] }, manner: 'soft' })
    .catch((error: unknown) => {
      // What is not running has nothing stored that it would serve.
      if (!(error instanceof DeliveryUnavailable)) throw error
    })
}

/** The ledger tells of the first pages and of the last; what is compared every hour is no news. */
const tellLedger = async (
  { db, now }: Needed,
  siteId: string,
  before: ServerPagesResult | null,
  { what, written, removed, problem }: ServerPagesResult,
  by: string,
): Promise<void> => {
  const isNews = what === 'remove' || (before?.what !== 'write' && written > 0)
  if (!isNews || problem !== null) return
  const title = what === 'write' ? 'Pages written to the web server' : 'Pages removed from the web server'
  const changes = [`${what === 'write' ? written : removed} pages`]
  await writeEntry(db, siteId, { kind: 'server-rules', title, changes, by, decision: 'none' }, now())
}

/** What came of it so far. */
const resultOf = (
  files: PageFiles | undefined,
  rest: Pick<ServerPagesResult, 'at' | 'what' | 'problem'>,
): ServerPagesResult => ({
  ...rest,
  written: files?.written.length ?? 0,
  unchanged: files?.unchanged ?? 0,
  removed: files?.removed ?? 0,
  left: (files?.left ?? []).slice(0, MOST_LEFT),
})

const whyEnded = (error: unknown, { aborted }: AbortSignal): string => {
  if (error instanceof FileFailure || error instanceof JobFailure) return error.message
  return aborted ? 'It was cancelled.' : 'It failed. The log of the control process says why.'
}

/** What has changed first: visitors get it from the file until then. */
const inTurn = (paths: readonly string[], changed: readonly string[]): string[] => {
  const old = new Set(changed)
  return [...paths.filter((path) => old.has(path)), ...paths.filter((path) => !old.has(path))]
}

/** Write the pages of a site as files to its web server, or remove them. */
export const pageFilesJob =
  (needed: Needed): JobHandler =>
  async (job, progress) => {
    const { db, events, now } = needed
    const { siteId } = job
    const { what } = ServerPagesOrder.parse({ what: job.subjectId })
    const rows = await db.select().from(serverPageFiles).where(eq(serverPageFiles.siteId, siteId))
    const { settings, last, waiting, by } = await serverPagesRow(db, siteId)
    const site = await getSite(needed, siteId)
    const { setup } = await liveSetup(db, siteId)
    const paths = what === 'write' ? await pagesToWrite(needed, siteId, setup, settings.most) : []
    await changeServerPages(db, siteId, { waiting: null })
    let files: PageFiles | undefined
    let problem: string | null = null
    const act = async (server: FileServer): Promise<void> => {
      files = new PageFiles(needed, siteId, server)
      const days = what === 'write' ? goodDays(epochMs(now().getTime())) : []
      // Marked only once nothing is there that nobody would renew; and first of all no longer marked.
      if (what === 'remove') await files.markDays(days)
      await files.lookAround(paths, new Map(rows.map(({ path, ...file }) => [path, file])))
      if (what === 'write') await files.markDays(days)
      await changeServerPages(db, siteId, { goodUntil: days.at(-1) ?? null })
      await writeAll(files, { site: askedSiteOf(site), setup, paths: inTurn(paths, waiting ?? []) }, now, progress)
    }
    try {
      await withFiles(() => siteFiles(needed, siteId), act)
    } catch (error) {
      problem = whyEnded(error, progress.signal)
      // A change that was told is still to be written.
      await changeServerPages(db, siteId, { waiting })
      throw error instanceof FileFailure ? new JobFailure(error.message) : error
    } finally {
      await purgeBehind(needed, siteId, files?.written ?? [])
      const result = resultOf(files, { at: now().toISOString(), what, problem })
      await changeServerPages(db, siteId, { last: result })
      await tellLedger(needed, siteId, last, result, by)
      events.changed(siteId, 'server-rules')
    }
  }
