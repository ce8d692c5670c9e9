import { rm } from 'node:fs/promises'
import { createReadStream } from 'node:fs'
import { and, eq } from 'drizzle-orm'
import type { MediaBackup } from '../../core/contracts/database-backups.ts'
import type { HasDatabase } from '../db/database.ts'
import { mediaPlaces } from '../db/pictures-schema.ts'
import { mediaBackupFiles } from '../db/upkeep-schema.ts'
import { siteFiles, type HasFileAccess } from '../files/file-connections.ts'
import { FileFailure, type FileServer } from '../files/file-server.ts'
import { filesBelow } from '../files/files-below.ts'
import { withFiles } from '../files/open-files.ts'
import type { HasClock } from '../live/clock.ts'
import { localFile, type HasUpkeepFolder } from './backups.ts'
import { digestOfFile, openSealedFile, writeSealedFile } from './sql-file.ts'
import type { KnownPlan } from './upkeep-plan.ts'

/** The media folder at the backup place: each file once, by what it holds, encrypted, and checked there. */

type Needed = HasDatabase & HasFileAccess & HasUpkeepFolder & HasClock
type KnownFile = typeof mediaBackupFiles.$inferSelect

const MOST_FILES = 50_000
/** How long the copy of a file is kept that is gone from the media folder, ms. */
const KEPT_MS = 30 * 24 * 3_600_000

/** Name at the backup place. */
const storedName = (sha256: string): string => `media-${sha256.slice(0, 40)}.gz.age`

/** One file of the media folder on its way to the backup place and back. */
class MediaCopy {
  readonly #needed: Needed
  readonly #siteId: string
  readonly #known: KnownPlan
  readonly #from: FileServer
  readonly #to: FileServer
  readonly #plain: string
  readonly #sealed: string

  constructor(needed: Needed, siteId: string, known: KnownPlan, from: FileServer, to: FileServer) {
    this.#needed = needed
    this.#siteId = siteId
    this.#known = known
    this.#from = from
    this.#to = to
    this.#plain = localFile(needed, `${siteId}.media`)
    this.#sealed = localFile(needed, `${siteId}.media.age`)
  }

  async #tidy(): Promise<void> {
    await rm(this.#plain, { force: true })
    await rm(this.#sealed, { force: true })
  }

  /** Send a file unless what it holds is there already. @returns whether it was sent @throws FileFailure */
  async send(file: string, before: KnownFile | undefined, isStored: (stored: string) => boolean): Promise<boolean> {
    try {
      await this.#from.fetch(file, this.#plain)
      const sha256 = await digestOfFile(this.#plain)
      if (before?.sha256 === sha256 && before.goneAt === null) return false
      const stored = storedName(sha256)
      const { plainBytes, sha256: storedSha256 } = await writeSealedFile(
        this.#sealed,
        createReadStream(this.#plain),
        this.#known.recipient,
      )
      if (!isStored(stored)) {
        await this.#to.send(this.#sealed, stored)
        await this.#to.fetch(stored, this.#sealed)
        if ((await digestOfFile(this.#sealed)) !== storedSha256)
          throw new FileFailure(
            `What is at the backup place of ${file} is not what was sent: its digest differs. Check its disk.`,
          )
      }
      const row = { bytes: plainBytes, sha256, stored, goneAt: null }
      await this.#needed.db
        .insert(mediaBackupFiles)
        .values({ siteId: this.#siteId, file, ...row })
        .onConflictDoUpdate({ target: [mediaBackupFiles.siteId, mediaBackupFiles.file], set: row })
      return true
    } finally {
      await this.#tidy()
    }
  }

  /** Put a file back into the media folder, once its content has been checked. @throws FileFailure */
  async putBack({ file, stored, sha256 }: KnownFile): Promise<void> {
    try {
      await this.#to.fetch(stored, this.#sealed)
      const isOpened = await openSealedFile(this.#sealed, this.#known.identity, this.#plain).then(
        () => true,
        () => false,
      )
      if (!isOpened || (await digestOfFile(this.#plain)) !== sha256)
        throw new FileFailure(`What is at the backup place of ${file} is not what was sent. It is not put back.`)
      const folder = file.split('/').slice(0, -1).join('/')
      if (folder !== '') await this.#from.makeFolder(folder)
      await this.#from.send(this.#plain, file)
    } finally {
      await this.#tidy()
    }
  }
}

const knownFiles = async ({ db }: HasDatabase, siteId: string): Promise<KnownFile[]> =>
  db.select().from(mediaBackupFiles).where(eq(mediaBackupFiles.siteId, siteId))

/** Do something with the media folder and the backup place. @returns undefined: the media folder is not connected */
const withBoth = async <T>(
  needed: Needed,
  siteId: string,
  act: (from: FileServer, to: FileServer) => Promise<T>,
): Promise<T | undefined> => {
  const [place] = await needed.db.select().from(mediaPlaces).where(eq(mediaPlaces.siteId, siteId))
  if (place === undefined) return undefined
  return withFiles(
    () => siteFiles(needed, siteId, 'media'),
    (from) =>
      withFiles(
        () => siteFiles(needed, siteId, 'backups'),
        (to) => act(from, to),
      ),
  )
}

const count = (files: number): string => (files === 1 ? 'one file' : `${files.toLocaleString('en')} files`)

/** Files that are gone can be put back for a while; then their copies go, unless another file holds the same. */
const noteGone = async (
  { db, now }: Needed,
  before: readonly KnownFile[],
  present: ReadonlyMap<string, number>,
  to: FileServer,
): Promise<void> => {
  const old = now().getTime() - KEPT_MS
  const own = (row: KnownFile) => and(eq(mediaBackupFiles.siteId, row.siteId), eq(mediaBackupFiles.file, row.file))
  for (const row of before) {
    if (present.has(row.file)) continue
    if (row.goneAt === null) await db.update(mediaBackupFiles).set({ goneAt: now() }).where(own(row))
    else if (row.goneAt.getTime() < old) {
      await db.delete(mediaBackupFiles).where(own(row))
      const isShared = before.some(({ file, stored }) => file !== row.file && stored === row.stored)
      // A copy that cannot be removed takes room and does no harm.
      if (!isShared)
        await to.remove(row.stored).catch((error: unknown) => {
          if (!(error instanceof FileFailure)) throw error
        })
    }
  }
}

/**
 * Bring the copy of the media folder up to date.
 * @returns null: the media folder is not connected
 * @throws FileFailure
 */
export const backUpMedia = async (
  needed: Needed,
  siteId: string,
  known: KnownPlan,
  told: (done: number, total: number, file: string) => Promise<void>,
): Promise<MediaBackup | null> => {
  const done = await withBoth(needed, siteId, async (from, to) => {
    const { found: present, extent } = await filesBelow(from, { most: MOST_FILES })
    const before = await knownFiles(needed, siteId)
    const byName = new Map(before.map((row) => [row.file, row]))
    const stored = new Set(before.map((row) => row.stored))
    const copy = new MediaCopy(needed, siteId, known, from, to)
    let [sent, at, bytes] = [0, 0, 0]
    for (const [file, size] of present) {
      await told(at++, present.size, file)
      bytes += size
      if (await copy.send(file, byName.get(file), (name) => stored.has(name))) sent++
    }
    if (extent === 'whole') await noteGone(needed, before, present, to)
    return {
      files: present.size,
      bytes,
      sent,
      sentence: `The media folder is at the backup place: ${count(present.size)}, ${count(sent)} of them new or changed and checked by digest there.${extent === 'whole' ? '' : ' It holds more than is taken along.'}`,
    }
  })
  return done ?? null
}

/**
 * Put back files of the media folder that are missing. What is there stays, whatever it holds.
 * @returns what was done, in a sentence
 * @throws FileFailure
 */
export const restoreMedia = async (
  needed: Needed,
  siteId: string,
  known: KnownPlan,
  told: (done: number, total: number, file: string) => Promise<void>,
): Promise<string> => {
  const sentence = await withBoth(needed, siteId, async (from, to) => {
    const { found: present, extent } = await filesBelow(from, { most: MOST_FILES })
    // What is not listed may be there all the same, and would be overwritten.
    if (extent === 'cut')
      throw new FileFailure(
        'The media folder holds more files than can be listed, so which are missing is not known. Nothing was put back.',
      )
    const missing = (await knownFiles(needed, siteId)).filter(({ file }) => !present.has(file))
    const copy = new MediaCopy(needed, siteId, known, from, to)
    for (const [at, row] of missing.entries()) {
      await told(at, missing.length, row.file)
      await copy.putBack(row)
    }
    return missing.length === 0
      ? 'No file of the media folder was missing.'
      : `${missing.length === 1 ? 'One missing file was' : `${missing.length.toLocaleString('en')} missing files were`} put back into the media folder. What was there stayed as it is.`
  })
  return sentence ?? 'The media folder is not connected.'
}
