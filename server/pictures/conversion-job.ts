import { setTimeout as pause } from 'node:timers/promises'
import { and, count, desc, eq, sum } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { PicturePlan } from '../../core/contracts/picture-library.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { minutesUntilQuiet } from '../../core/upkeep/quiet-hours.ts'
import { newId } from '../accounts/secrets.ts'
import type { HasDatabase } from '../db/database.ts'
import { libraryPictures } from '../db/pictures-schema.ts'
import { isLaneBusy, JobFailure, type HasJobs, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { askedSiteOf } from '../net/asked-site.ts'
import { getSite } from '../sites/sites.ts'
import { fetchPicture } from './fetch-picture.ts'
import { picturePlanOf } from './picture-plan.ts'
import type { Choice } from './picture-tasks.ts'
import { putPrepared, removePrepared, tellDelivery } from './prepared-folder.ts'
import type { PictureRow, PicturesNeeded } from './survey-job.ts'

/** How often it is looked whether a pause has ended, ms. */
const LOOK_MS = 2000
/** Delivery is told of new pictures after so many, and at the end: it looks through all of them then, so with many, less often. */
const TELL_EVERY = 10
const TELL_SHARE = 0.02

/** Queue making pictures lighter. @param which all of them again, or those that wait @throws AppError NOT_FOUND, PICTURES_UNDER_WAY */
export const orderConversion = async (
  services: HasDatabase & HasJobs & HasAddresses,
  siteId: string,
  which: 'waiting' | 'all',
): Promise<Job> => {
  await getSite(services, siteId)
  const jobId = newId()
  return services.jobs.order(
    { siteId, kind: 'picture-conversion', title: 'Making pictures lighter', subjectId: siteId, total: 1 },
    jobId,
    async (tx) => {
      if (which === 'waiting') return
      for (const state of ['lighter', 'no-gain', 'left-alone', 'failed'] as const)
        await tx
          .update(libraryPictures)
          .set({ state: 'found' })
          .where(and(eq(libraryPictures.siteId, siteId), eq(libraryPictures.state, state)))
    },
  )
}

/** Why pictures are not worked on right now; null: they may be. */
const hindrance = async ({ db, now }: PicturesNeeded, { work, quiet }: PicturePlan): Promise<string | null> => {
  if (work === 'paused') return 'Paused'
  if (quiet !== null && minutesUntilQuiet(quiet, now()) > 0)
    return `Waiting for quiet hours, which begin at ${quiet.from}`
  // What is measured meanwhile would be slower than it is.
  return (await isLaneBusy(db, 'measuring')) ? 'Waiting until the measurement under way has ended' : null
}

/** Wait while the owner wants a pause, until quiet hours begin, and while something is measured. @returns the plan as it is then */
const whenAllowed = async (
  needed: PicturesNeeded,
  siteId: string,
  { signal }: JobProgress,
  tell: (words: string) => Promise<void>,
): Promise<PicturePlan> => {
  for (let told = ''; ;) {
    const plan = await picturePlanOf(needed.db, siteId)
    const words = await hindrance(needed, plan)
    if (words === null) return plan
    if (words !== told) await tell((told = words))
    await pause(LOOK_MS, undefined, { signal })
  }
}

/** What a choice means for a picture. */
const outcomeOf = (choice: Choice): Pick<PictureRow, 'state' | 'reason' | 'graphic' | 'variants'> => {
  if (choice.kind !== 'made') return { state: choice.kind, reason: choice.reason, graphic: null, variants: [] }
  const { graphic, note } = choice
  if (choice.variants.length === 0)
    return { state: 'no-gain', reason: 'It is as light as it gets at this similarity.', graphic, variants: [] }
  const variants = choice.variants.map(({ bytes, ...rest }) => ({ ...rest, bytes: bytes.length }))
  return { state: 'lighter', reason: note, graphic, variants }
}

/** Make one picture lighter, as it is on the server now. */
const convert = async (
  needed: PicturesNeeded,
  site: Site,
  row: PictureRow,
  plan: PicturePlan,
  signal: AbortSignal,
): Promise<void> => {
  /** What came of it, unless the owner has decided otherwise meanwhile. @returns whether it was taken */
  const set = async (change: Partial<PictureRow>): Promise<boolean> => {
    const taken = await needed.db
      .update(libraryPictures)
      .set({ doneAt: needed.now(), ...change })
      .where(and(eq(libraryPictures.id, row.id), eq(libraryPictures.state, 'found')))
      .returning({ id: libraryPictures.id })
    return taken.length > 0
  }
  const came = await fetchPicture(askedSiteOf(site), row.path)
  if (came.kind !== 'here') {
    const reason = came.kind === 'failed' ? came.reason : 'It is no longer there.'
    return void (await set({ state: 'failed', reason, variants: [] }))
  }
  const { bytes, digest, validator } = came
  if (digest === row.placed?.written)
    return void (await set({
      state: 'left-alone',
      reason: 'A lighter file stands in its place. Put the originals back to make it again.',
    }))
  let changed: Partial<PictureRow> = {}
  if (digest !== row.digest) {
    if (row.digest !== '') await removePrepared(needed, site.id, row.digest)
    const facts = await needed.pictureMaker.facts(bytes, signal)
    if ('unreadable' in facts) return void (await set({ state: 'failed', reason: facts.unreadable, variants: [] }))
    changed = { ...facts, digest, validator, bytes: bytes.length }
  }
  const lossless = row.treatment === 'lossless' ? 'everything' : plan.lossless
  const choice = await needed.pictureMaker.choose(bytes, { ...plan, lossless }, signal)
  await putPrepared(needed, site.id, digest, choice.kind === 'made' ? choice.variants : [])
  if (!(await set({ ...changed, ...outcomeOf(choice) }))) await removePrepared(needed, site.id, digest)
}

const isFull = (error: unknown): boolean => (error as NodeJS.ErrnoException).code === 'ENOSPC'

/** Make the pictures lighter that wait, the heaviest first. It goes on after a restart where it was. */
export const conversionJob =
  (needed: PicturesNeeded): JobHandler =>
  async ({ siteId }, progress) => {
    const { signal, report } = progress
    const { db, events } = needed
    progress.afterwards(async () => {
      needed.pictureMaker.end()
      await tellDelivery(needed, siteId)
      events.changed(siteId, 'upkeep')
    })
    const site = await getSite(needed, siteId)
    const waiting = and(eq(libraryPictures.siteId, siteId), eq(libraryPictures.state, 'found'))
    let [done, told, bytesDone, workedMs] = [0, 0, 0, 0]
    for (;;) {
      signal.throwIfAborted()
      const [row] = await db.select().from(libraryPictures).where(waiting).orderBy(desc(libraryPictures.bytes)).limit(1)
      if (row === undefined) return
      const [left] = await db
        .select({ pictures: count(), bytes: sum(libraryPictures.bytes) })
        .from(libraryPictures)
        .where(waiting)
      const [picturesLeft, bytesLeft] = [left?.pictures ?? 0, Number(left?.bytes ?? 0)]
      const msLeft = bytesDone === 0 ? null : (workedMs / bytesDone) * bytesLeft
      const tell = (words: string): Promise<void> => report(done, done + picturesLeft, words, msLeft)
      const plan = await whenAllowed(needed, siteId, progress, tell)
      await tell(row.path)
      const began = performance.now()
      try {
        await convert(needed, site, row, plan, signal)
      } catch (error) {
        if (isFull(error))
          throw new JobFailure('The disk of this machine is full. Make room in ZEST_DATA_DIR, then go on.')
        throw error
      }
      workedMs += performance.now() - began
      bytesDone += row.bytes
      done++
      events.changed(siteId, 'upkeep')
      if (done - told < Math.max(TELL_EVERY, TELL_SHARE * (done + picturesLeft))) continue
      told = done
      await tellDelivery(needed, siteId)
    }
  }
