import { and, desc, eq, inArray, ne } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { LibraryPicture, PicturePlan, PictureSurvey } from '../../core/contracts/picture-library.ts'
import type { PageKnowledge } from '../../core/contracts/page-changes.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { estimateSaving, sampleBySize, type SampledPicture } from '../../core/pictures/estimate-saving.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import { newId } from '../accounts/secrets.ts'
import { siteKnowledge } from '../audits/page-knowledge.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { libraryPictures, mediaPlaces, pictureSurveys } from '../db/pictures-schema.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import type { HasJobs, JobHandler, JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { AskedSite } from '../net/asked-site.ts'
import { askedSiteOf } from '../net/asked-site.ts'
import { getSite } from '../sites/sites.ts'
import { fetchPicture } from './fetch-picture.ts'
import { findPictures, type NamedPicture } from './find-pictures.ts'
import { picturePlanOf } from './picture-plan.ts'
import type { HasPictureMaker } from './picture-worker.ts'
import { removePrepared, tellDelivery, type HasPicturesFolder } from './prepared-folder.ts'

export type PicturesNeeded = HasDatabase &
  HasEvents &
  HasAddresses &
  HasClock &
  HasFileAccess &
  HasDelivery &
  HasPictureMaker &
  HasPicturesFolder
export type PictureRow = typeof libraryPictures.$inferSelect

/** Pictures that are really made lighter to tell what all of them would save. */
const SAMPLE = 6
const MOST_KEPT = 5

/** Queue a look for pictures. @throws AppError NOT_FOUND, PICTURES_UNDER_WAY */
export const orderPictureSurvey = async (
  services: HasDatabase & HasJobs & HasClock & HasAddresses,
  siteId: string,
): Promise<Job> => {
  await getSite(services, siteId)
  const [id, jobId] = [newId(), newId()]
  return services.jobs.order(
    { siteId, kind: 'picture-survey', title: 'Looking for pictures', subjectId: id, total: 1 },
    jobId,
    (tx) => tx.insert(pictureSurveys).values({ id, siteId, jobId, at: services.now() }),
  )
}

/** How wide pictures were seen on measured pages, by path without query. */
const shownWidths = (known: readonly PageKnowledge[]): Map<string, LibraryPicture['shown']> => {
  const widths = new Map<string, { phone: number | null; laptop: number | null }>()
  for (const { device, images } of known)
    for (const { path, shownWidth } of images) {
      if (shownWidth <= 0) continue
      const one = widths.get(path) ?? { phone: null, laptop: null }
      one[device] = Math.max(one[device] ?? 0, Math.round(shownWidth))
      widths.set(path, one)
    }
  return widths
}

type Look = Pick<
  PictureRow,
  | 'digest'
  | 'bytes'
  | 'width'
  | 'height'
  | 'form'
  | 'state'
  | 'reason'
  | 'graphic'
  | 'variants'
  | 'doneAt'
  | 'validator'
>
const UNREAD = { digest: '', bytes: 0, width: 0, height: 0, form: null, graphic: null, variants: [], validator: {} }

class Survey {
  readonly #needed: PicturesNeeded
  readonly #site: Site
  readonly #asked: AskedSite
  readonly #plan: PicturePlan
  readonly #progress: JobProgress
  readonly #id: string

  constructor(needed: PicturesNeeded, site: Site, plan: PicturePlan, progress: JobProgress, id: string) {
    this.#needed = needed
    this.#site = site
    this.#asked = askedSiteOf(site)
    this.#plan = plan
    this.#progress = progress
    this.#id = id
  }

  /** What is there at an address now; undefined: as it was; 'gone': nothing. */
  async #look(path: string, before: PictureRow | undefined): Promise<Look | 'gone' | undefined> {
    const isKnown = before !== undefined && before.digest !== ''
    const came = await fetchPicture(this.#asked, path, isKnown ? before.validator : {})
    if (came.kind === 'unchanged') return undefined
    if (came.kind === 'gone') return 'gone'
    const now = this.#needed.now()
    // A server that is away for a while takes nothing away that was known.
    if (came.kind === 'failed')
      return isKnown ? undefined : { ...UNREAD, state: 'failed', reason: came.reason, doneAt: now }
    const { bytes, digest, validator } = came
    if (isKnown && before.digest === digest) return undefined
    // What was written over it is no new picture.
    if (before?.placed?.written === digest) return undefined
    const facts = await this.#needed.pictureMaker.facts(bytes, this.#progress.signal)
    const common = { ...UNREAD, digest, validator, bytes: bytes.length }
    if ('unreadable' in facts) return { ...common, state: 'failed', reason: facts.unreadable, doneAt: now }
    return { ...common, ...facts, state: 'found', reason: null, doneAt: null }
  }

  /** @returns whether something is there */
  async #take(
    path: string,
    { pages, file }: NamedPicture,
    before: PictureRow | undefined,
    shown: LibraryPicture['shown'],
  ): Promise<void> {
    const { db } = this.#needed
    const look = await this.#look(path, before)
    if (look === 'gone') return
    const seen = { pages, file, shown, seenBy: this.#id }
    if (before === undefined) {
      if (look !== undefined)
        await db.insert(libraryPictures).values({
          ...{ id: newId(), siteId: this.#site.id, path, treatment: 'as-planned' as const, placed: null },
          ...seen,
          ...look,
        })
      return
    }
    if (look !== undefined) await removePrepared(this.#needed, this.#site.id, before.digest)
    const isLeftOut = before.treatment === 'leave-out' && look?.state === 'found'
    await db
      .update(libraryPictures)
      .set({
        ...seen,
        ...look,
        ...(isLeftOut && { state: 'left-out' as const }),
        ...(look !== undefined && { placed: null }),
      })
      .where(eq(libraryPictures.id, before.id))
  }

  /** Pictures that are nowhere any more. Of those whose original was moved away by us, the way back stays. */
  async #forgetGone(): Promise<number> {
    const { db } = this.#needed
    const gone = await db
      .select()
      .from(libraryPictures)
      .where(and(eq(libraryPictures.siteId, this.#site.id), ne(libraryPictures.seenBy, this.#id)))
    const without: PictureRow[] = []
    for (const row of gone) {
      this.#progress.signal.throwIfAborted()
      // Not being named is no proof: pages may not have answered, and a library may be larger than what is read.
      if (row.placed !== null || (await fetchPicture(this.#asked, row.path, row.validator)).kind !== 'gone') continue
      without.push(row)
      if (row.digest !== '') await removePrepared(this.#needed, this.#site.id, row.digest)
    }
    if (without.length > 0)
      await db.delete(libraryPictures).where(
        inArray(
          libraryPictures.id,
          without.map(({ id }) => id),
        ),
      )
    return without.length
  }

  /** What all of them would save, by really making a few of them lighter; nothing of it is kept. */
  async #estimate(): Promise<NonNullable<PictureSurvey['result']>['estimate']> {
    const { db, pictureMaker } = this.#needed
    const { signal, report } = this.#progress
    const waiting = await db
      .select({ path: libraryPictures.path, bytes: libraryPictures.bytes })
      .from(libraryPictures)
      .where(and(eq(libraryPictures.siteId, this.#site.id), eq(libraryPictures.state, 'found')))
    const total = waiting.reduce((sum, { bytes }) => sum + bytes, 0)
    const chosen = sampleBySize(
      waiting.map(({ bytes }) => bytes),
      SAMPLE,
    )
    const sample: SampledPicture[] = []
    const began = performance.now()
    for (const [index, at] of chosen.entries()) {
      const { path, bytes } = waiting[at] as (typeof waiting)[number]
      const each = (performance.now() - began) / Math.max(1, index)
      await report(index, chosen.length, `Trying ${path}`, index === 0 ? null : each * (chosen.length - index))
      const came = await fetchPicture(this.#asked, path)
      if (came.kind !== 'here') continue
      const choice = await pictureMaker.choose(came.bytes, { ...this.#plan, processor: 100 }, signal)
      const lightest = choice.kind === 'made' ? choice.variants[0]?.bytes.length : undefined
      sample.push({ before: bytes, after: Math.min(bytes, lightest ?? bytes) })
    }
    return estimateSaving(sample, total, waiting.length)
  }

  async run(): Promise<NonNullable<PictureSurvey['result']>> {
    const { db } = this.#needed
    const { signal, report } = this.#progress
    const { id: siteId, sample } = this.#site
    const [media] = await db.select().from(mediaPlaces).where(eq(mediaPlaces.siteId, siteId))
    const { pictures, pages, sources } = await findPictures(
      this.#asked,
      sample.map(({ path }) => path),
      this.#plan,
      {
        open: media === undefined ? undefined : () => siteFiles(this.#needed, siteId, 'media'),
        told: (done, total, words) => report(done, total, words, null),
        signal,
      },
    )
    const before = new Map(
      (await db.select().from(libraryPictures).where(eq(libraryPictures.siteId, siteId))).map((row) => [row.path, row]),
    )
    const shown = shownWidths(await siteKnowledge(db, siteId))
    const began = performance.now()
    let done = 0
    for (const [path, picture] of pictures) {
      signal.throwIfAborted()
      const each = (performance.now() - began) / Math.max(1, done)
      await report(done, pictures.size, `Looking at ${path}`, done < 5 ? null : each * (pictures.size - done))
      const width = shown.get(path.split('?', 1)[0] ?? path) ?? { phone: null, laptop: null }
      await this.#take(path, picture, before.get(path), width)
      done++
    }
    const gone = await this.#forgetGone()
    await tellDelivery(this.#needed, siteId)
    return { pages, sources, gone, estimate: await this.#estimate() }
  }
}

const forgetOld = async (db: Database, siteId: string): Promise<void> => {
  const old = await db
    .select({ id: pictureSurveys.id })
    .from(pictureSurveys)
    .where(eq(pictureSurveys.siteId, siteId))
    .orderBy(desc(pictureSurveys.at))
    .offset(MOST_KEPT)
  for (const { id } of old) await db.delete(pictureSurveys).where(eq(pictureSurveys.id, id))
}

/** Look for the pictures of a site. Nothing of the site is changed. */
export const pictureSurveyJob =
  (needed: PicturesNeeded): JobHandler =>
  async (job, progress) => {
    progress.afterwards(async () => {
      needed.pictureMaker.end()
      needed.events.changed(job.siteId, 'upkeep')
    })
    const site = await getSite(needed, job.siteId)
    const plan = await picturePlanOf(needed.db, job.siteId)
    const result = await new Survey(needed, site, plan, progress, job.subjectId).run()
    await needed.db.update(pictureSurveys).set({ result }).where(eq(pictureSurveys.id, job.subjectId))
    await forgetOld(needed.db, job.siteId)
  }
