import { eq } from 'drizzle-orm'
import {
  FileSecret,
  type FileConnectionDraft,
  type FileConnectionInfo,
  type FileTrial,
} from '../../core/contracts/file-connections.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { fileConnections } from '../db/server-rules-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { siteRow } from '../sites/sites.ts'
import { FileFailure, type FileAccess, type FileServer } from './file-server.ts'
import { openFiles, withFiles } from './open-files.ts'

/** What the files of sites need of this process. */
export interface HasFileAccess {
  readonly fileAccess: {
    /** Folders of this machine that whoever runs it has opened for sites. */
    readonly folders: readonly string[]
    /** Passwords and keys that are not to be kept, by site. */
    readonly secrets: Map<string, FileSecret>
  }
}

type Row = typeof fileConnections.$inferSelect
type Needed = HasDatabase & HasFileAccess

const rowOf = async (db: Database, siteId: string): Promise<Row | undefined> => {
  const [row] = await db.select().from(fileConnections).where(eq(fileConnections.siteId, siteId))
  return row
}

const secretOf = ({ fileAccess }: HasFileAccess, row: Row): FileSecret | undefined => {
  if (row.place.protocol === 'folder') return { kind: 'none' }
  if (row.secret !== null) return FileSecret.parse(JSON.parse(row.secret))
  return fileAccess.secrets.get(row.siteId)
}

const secretState = (services: HasFileAccess, row: Row): FileConnectionInfo['secret'] => {
  if (row.place.protocol === 'folder') return 'none'
  if (row.secret !== null) return 'encrypted'
  return services.fileAccess.secrets.has(row.siteId) ? 'in-memory' : 'missing'
}

/** How the files of a site are reached, if that is known. @throws AppError NOT_FOUND */
export const fileConnectionOf = async (services: Needed, siteId: string): Promise<FileConnectionInfo> => {
  await siteRow(services.db, siteId)
  const row = await rowOf(services.db, siteId)
  const folders = [...services.fileAccess.folders]
  if (row === undefined) return { place: null, secret: 'none', trial: null, folders }
  return { place: row.place, secret: secretState(services, row), trial: row.trial, folders }
}

/** Keep what the owner says. What opens one server is never told to another. @throws AppError NOT_FOUND */
export const saveFileConnection = async (
  services: Needed,
  siteId: string,
  { place, secret, keep }: FileConnectionDraft,
): Promise<FileConnectionInfo> => {
  const { db, fileAccess } = services
  await siteRow(db, siteId)
  const before = await rowOf(db, siteId)
  const isSame =
    before?.place.protocol === place.protocol &&
    before.place.address === place.address &&
    before.place.user === place.user
  const known = secret ?? (isSame ? secretOf(services, before) : undefined)
  fileAccess.secrets.delete(siteId)
  if (known !== undefined && keep === 'not-kept') fileAccess.secrets.set(siteId, known)
  const row = { place, secret: known === undefined || keep === 'not-kept' ? null : JSON.stringify(known), trial: null }
  await db
    .insert(fileConnections)
    .values({ siteId, ...row })
    .onConflictDoUpdate({ target: fileConnections.siteId, set: row })
  return fileConnectionOf(services, siteId)
}

/** Forget how the files are reached, and what opens them. */
export const forgetFileConnection = async ({ db, fileAccess }: Needed, siteId: string): Promise<void> => {
  fileAccess.secrets.delete(siteId)
  await db.delete(fileConnections).where(eq(fileConnections.siteId, siteId))
}

/** What opening the files of a site needs. @throws AppError when it is not known, FileFailure when the password is gone */
const accessOf = async (services: Needed, siteId: string): Promise<FileAccess> => {
  const { hosts } = await siteRow(services.db, siteId)
  const row = await rowOf(services.db, siteId)
  if (row === undefined) throw errors.notFound('file connection')
  const secret = secretOf(services, row)
  if (secret === undefined)
    throw new FileFailure('Zest Lamp was restarted, and the password or key was not to be saved. Enter it again.')
  return { place: row.place, secret, reach: hosts.privateAddresses }
}

/** Open the files of a site. @throws AppError NOT_FOUND, FileFailure */
export const siteFiles = async (services: Needed, siteId: string): Promise<FileServer> =>
  openFiles(await accessOf(services, siteId), services.fileAccess.folders)

const tried = async (services: Needed, siteId: string): Promise<FileTrial> => {
  const PROBE = '.zest-trial'
  try {
    await withFiles(
      () => siteFiles(services, siteId),
      async (files) => {
        // Whether files can be put there is known only when one has been.
        await files.write(PROBE, {
          bytes: Buffer.from('Zest Lamp has tried whether it can write here.\n'),
          mode: undefined,
        })
        await files.remove(PROBE)
      },
    )
    return { outcome: 'good', sentence: 'Files can be read, written and removed there.', fingerprint: null }
  } catch (error) {
    if (!(error instanceof FileFailure)) throw error
    const outcome = error.reason === 'unknown-key' ? 'unknown-key' : 'failed'
    return { outcome, sentence: error.message, fingerprint: error.fingerprint }
  }
}

/** Find out whether the files can be read and written, without changing any. @throws AppError NOT_FOUND */
export const tryFileConnection = async (services: Needed, siteId: string): Promise<FileConnectionInfo> => {
  await accessOf(services, siteId).catch((error: unknown) => {
    if (!(error instanceof FileFailure)) throw error
  })
  const trial = await tried(services, siteId)
  await services.db.update(fileConnections).set({ trial }).where(eq(fileConnections.siteId, siteId))
  return fileConnectionOf(services, siteId)
}
