import { mkdir, readFile, rm, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { and, eq, isNotNull, isNull } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { PictureVariant, PlacedPicture, PlacingOrder } from '../../core/contracts/picture-library.ts'
import { newId } from '../accounts/secrets.ts'
import type { HasDatabase } from '../db/database.ts'
import { libraryPictures, mediaPlaces, picturePlacings } from '../db/pictures-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { siteFiles } from '../files/file-connections.ts'
import { FileFailure, type FileServer } from '../files/file-server.ts'
import { withFiles } from '../files/open-files.ts'
import { JobFailure, type HasJobs, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { writeEntry } from '../release/ledger.ts'
import { getSite } from '../sites/sites.ts'
import { digestOf } from './fetch-picture.ts'
import { ORIGINALS } from './find-pictures.ts'
import { preparedPath } from './prepared-folder.ts'
import type { PictureRow, PicturesNeeded } from './survey-job.ts'

const TITLES = {
  over: 'Lighter pictures in place of the originals',
  beside: 'Lighter pictures beside the originals',
  back: 'Putting original pictures back',
} as const

/** Queue writing to the server of the site. @throws AppError NOT_FOUND, PICTURES_UNDER_WAY */
export const orderPlacing = async (
  services: HasDatabase & HasJobs & HasClock & HasAddresses,
  siteId: string,
  order: PlacingOrder,
  by: string,
): Promise<Job> => {
  await getSite(services, siteId)
  const [media] = await services.db.select().from(mediaPlaces).where(eq(mediaPlaces.siteId, siteId))
  if (media === undefined) throw errors.notFound('connection to the media folder')
  const [id, jobId] = [newId(), newId()]
  return services.jobs.order(
    { siteId, kind: 'picture-placing', title: TITLES[order.how], subjectId: id, total: 1 },
    jobId,
    (tx) => tx.insert(picturePlacings).values({ id, siteId, jobId, at: services.now(), by, order }),
  )
}

/** A picture that stays as it is on the server, and why. */
class LeftAsItIs extends Error {}

const folderOf = (name: string): string => (name.includes('/') ? dirname(name) : '')

class Placing {
  readonly #needed: PicturesNeeded
  readonly #files: FileServer
  readonly #scratch: string
  readonly #day: string

  /** @param scratch a file of this machine that may be overwritten */
  constructor(needed: PicturesNeeded, files: FileServer, scratch: string) {
    this.#needed = needed
    this.#files = files
    this.#scratch = scratch
    this.#day = needed.now().toISOString().slice(0, 10)
  }

  async #digestAt(name: string): Promise<string> {
    await this.#files.fetch(name, this.#scratch)
    return digestOf(await readFile(this.#scratch))
  }

  async #send(bytes: Buffer, name: string): Promise<void> {
    await writeFile(this.#scratch, bytes, { mode: 0o600 })
    await this.#files.send(this.#scratch, name)
    // What a server says it has taken is known only when it has been read back.
    if ((await this.#digestAt(name)) !== digestOf(bytes))
      throw new FileFailure(`${name}: The server has not taken the file as it was sent.`)
  }

  #variant(row: PictureRow, variant: PictureVariant): Promise<Buffer> {
    return readFile(preparedPath(this.#needed, row.siteId, row.digest, variant))
  }

  async #mark(row: PictureRow, placed: PlacedPicture | null): Promise<void> {
    await this.#needed.db.update(libraryPictures).set({ placed }).where(eq(libraryPictures.id, row.id))
  }

  /** Keep the original in a dated folder, checked, then put the lighter file in its place. */
  async over(row: PictureRow, file: string): Promise<void> {
    const own = row.variants.find(({ form }) => form === row.form)
    if (own === undefined)
      throw new LeftAsItIs('no lighter file of its own form; other forms under its name would be mislabelled')
    await this.#files.fetch(file, this.#scratch)
    const original = await readFile(this.#scratch)
    if (digestOf(original) !== row.digest) throw new LeftAsItIs('the file has changed since it was looked at')
    const kept = `${ORIGINALS}${this.#day}/${file}`
    await this.#files.makeFolder(folderOf(kept))
    await this.#send(original, kept)
    const lighter = await this.#variant(row, own)
    // Written down first: if this machine stops in between, the way back is known.
    await this.#mark(row, {
      how: 'over',
      at: this.#needed.now().toISOString(),
      files: [file],
      original: kept,
      written: digestOf(lighter),
    })
    await this.#send(lighter, file)
  }

  /** Write every lighter form next to the original, which nobody touches. */
  async beside(row: PictureRow, file: string): Promise<void> {
    const others = row.variants.filter(({ form }) => form !== row.form)
    if (others.length === 0) throw new LeftAsItIs('no lighter file of another form')
    const files = others.map(({ form }) => `${file}.${form}`)
    await this.#mark(row, {
      how: 'beside',
      at: this.#needed.now().toISOString(),
      files,
      original: null,
      written: row.digest,
    })
    for (const other of others) await this.#send(await this.#variant(row, other), `${file}.${other.form}`)
  }

  /** As it was before anything was written. */
  async back(row: PictureRow): Promise<void> {
    const { placed } = row
    if (placed === null) return
    if (placed.original !== null) {
      const [file = ''] = placed.files
      await this.#files.fetch(placed.original, this.#scratch)
      const original = await readFile(this.#scratch)
      if (digestOf(original) !== row.digest)
        throw new LeftAsItIs(`the original in ${placed.original} is not the one that was kept`)
      const present = await this.#digestAt(file).catch(() => undefined)
      if (present !== undefined && present !== placed.written && present !== row.digest)
        throw new LeftAsItIs('somebody has put another picture in its place since')
      await this.#send(original, file)
      await this.#files.remove(placed.original)
    } else
      for (const file of placed.files)
        // One that was never written, or that the owner has removed, is gone already.
        await this.#files.remove(file).catch((error: unknown) => {
          if (!(error instanceof FileFailure)) throw error
        })
    await this.#mark(row, null)
  }
}

const rowsFor = (needed: PicturesNeeded, siteId: string, how: PlacingOrder['how']): Promise<PictureRow[]> =>
  needed.db
    .select()
    .from(libraryPictures)
    .where(
      how === 'back'
        ? and(eq(libraryPictures.siteId, siteId), isNotNull(libraryPictures.placed))
        : and(
            eq(libraryPictures.siteId, siteId),
            eq(libraryPictures.state, 'lighter'),
            isNotNull(libraryPictures.file),
            isNull(libraryPictures.placed),
          ),
    )

const MOST_REASONS = 20

const act = async (placing: Placing, row: PictureRow, how: PlacingOrder['how']): Promise<void> => {
  if (how === 'back') return placing.back(row)
  return placing[how](row, row.file ?? '')
}

/** @returns pictures that were done, and for those that stay as they are a line with the reason */
const placeAll = async (
  placing: Placing,
  rows: readonly PictureRow[],
  how: PlacingOrder['how'],
  { signal, report }: JobProgress,
): Promise<{ done: number; left: string[] }> => {
  const began = performance.now()
  const left: string[] = []
  for (const [index, row] of rows.entries()) {
    signal.throwIfAborted()
    const each = (performance.now() - began) / Math.max(1, index)
    await report(index, rows.length, row.path, index === 0 ? null : each * (rows.length - index))
    try {
      await act(placing, row, how)
    } catch (error) {
      if (!(error instanceof LeftAsItIs)) throw error
      left.push(`${row.path}: ${error.message}`)
    }
  }
  return { done: rows.length - left.length, left }
}

/** Write lighter pictures to the server of the site, or put originals back. */
export const picturePlacingJob =
  (needed: PicturesNeeded): JobHandler =>
  async (job, progress) => {
    const { db, picturesFolder } = needed
    const [row] = await db.select().from(picturePlacings).where(eq(picturePlacings.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This order is gone; give it again.')
    const { how } = row.order
    await mkdir(picturesFolder, { recursive: true, mode: 0o700 })
    const scratch = join(picturesFolder, `${row.id}.on-its-way`)
    progress.afterwards(async () => {
      await rm(scratch, { force: true })
      needed.events.changed(job.siteId, 'upkeep')
    })
    const rows = await rowsFor(needed, job.siteId, how)
    try {
      const { done, left } = await withFiles(
        () => siteFiles(needed, job.siteId, 'media'),
        (files) => placeAll(new Placing(needed, files, scratch), rows, how, progress),
      )
      const changes = [`${done} of ${rows.length} pictures`, ...left.slice(0, MOST_REASONS)]
      await writeEntry(
        db,
        job.siteId,
        { kind: 'upkeep', title: job.title, changes, by: row.by, decision: 'none' },
        needed.now(),
      )
    } catch (error) {
      throw error instanceof FileFailure
        ? new JobFailure(`${error.message} What was done before it stays done; originals can be put back.`)
        : error
    }
  }
