import { eq } from 'drizzle-orm'
import {
  FileSecret,
  type FileConnectionDraft,
  type FileConnectionInfo,
  type FileTrial,
} from '../../core/contracts/file-connections.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { fileConnections } from '../db/server-rules-schema.ts'
import { mediaPlaces } from '../db/pictures-schema.ts'
import { backupPlaces } from '../db/upkeep-schema.ts'
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

/** What the files are for: the site itself, its backups, or its media folder. */
export type FilePurpose = 'site' | 'backups' | 'media'
const TABLES = { site: fileConnections, backups: backupPlaces, media: mediaPlaces } as const

type Row = typeof fileConnections.$inferSelect
type Needed = HasDatabase & HasFileAccess

const secretKey = (siteId: string, purpose: FilePurpose): string =>
  purpose === 'site' ? siteId : `${siteId} ${purpose}`

const rowOf = async (db: Database, siteId: string, purpose: FilePurpose): Promise<Row | undefined> => {
  const table = TABLES[purpose]
  const [row] = await db.select().from(table).where(eq(table.siteId, siteId))
  return row
}

const secretOf = ({ fileAccess }: HasFileAccess, row: Row, purpose: FilePurpose): FileSecret | undefined => {
  if (row.place.protocol === 'folder') return { kind: 'none' }
  if (row.secret !== null) return FileSecret.parse(JSON.parse(row.secret))
  return fileAccess.secrets.get(secretKey(row.siteId, purpose))
}

const secretState = (services: HasFileAccess, row: Row, purpose: FilePurpose): FileConnectionInfo['secret'] => {
  if (row.place.protocol === 'folder') return 'none'
  if (row.secret !== null) return 'encrypted'
  return services.fileAccess.secrets.has(secretKey(row.siteId, purpose)) ? 'in-memory' : 'missing'
}

/** How the files of a site are reached, if that is known. @throws AppError NOT_FOUND */
export const fileConnectionOf = async (
  services: Needed,
  siteId: string,
  purpose: FilePurpose = 'site',
): Promise<FileConnectionInfo> => {
  await siteRow(services.db, siteId)
  const row = await rowOf(services.db, siteId, purpose)
  const folders = [...services.fileAccess.folders]
  if (row === undefined) return { place: null, secret: 'none', trial: null, folders }
  return { place: row.place, secret: secretState(services, row, purpose), trial: row.trial, folders }
}

/** Keep what the owner says. What opens one server is never told to another. @throws AppError NOT_FOUND */
export const saveFileConnection = async (
  services: Needed,
  siteId: string,
  { place, secret, keep }: FileConnectionDraft,
  purpose: FilePurpose = 'site',
): Promise<FileConnectionInfo> => {
  const { db, fileAccess } = services
  await siteRow(db, siteId)
  const before = await rowOf(db, siteId, purpose)
  const isSame =
    before?.place.protocol === place.protocol &&
    before.place.address === place.address &&
    before.place.user === place.user
  const known = secret ?? (isSame ? secretOf(services, before, purpose) : undefined)
  const key = secretKey(siteId, purpose)
  fileAccess.secrets.delete(key)
  if (known !== undefined && keep === 'not-kept') fileAccess.secrets.set(key, known)
  const row = { place, secret: known === undefined || keep === 'not-kept' ? null : JSON.stringify(known), trial: null }
  const table = TABLES[purpose]
  await db
    .insert(table)
    .values({ siteId, ...row })
    .onConflictDoUpdate({ target: table.siteId, set: row })
  return fileConnectionOf(services, siteId, purpose)
}

/** Forget how the files are reached, and what opens them. */
export const forgetFileConnection = async (
  { db, fileAccess }: Needed,
  siteId: string,
  purpose: FilePurpose = 'site',
): Promise<void> => {
  fileAccess.secrets.delete(secretKey(siteId, purpose))
  const table = TABLES[purpose]
  await db.delete(table).where(eq(table.siteId, siteId))
}

/** What opening the files of a site needs. @throws AppError when it is not known, FileFailure when the password is gone */
const accessOf = async (services: Needed, siteId: string, purpose: FilePurpose): Promise<FileAccess> => {
  const { hosts } = await siteRow(services.db, siteId)
  const row = await rowOf(services.db, siteId, purpose)
  if (row === undefined) throw errors.notFound('file connection')
  const secret = secretOf(services, row, purpose)
  if (secret === undefined)
    throw new FileFailure('Zest Lamp was restarted, and the password or key was not to be saved. Enter it again.')
  return { place: row.place, secret, reach: hosts.privateAddresses }
}

/** Open the files of a site. @throws AppError NOT_FOUND, FileFailure */
export const siteFiles = async (services: Needed, siteId: string, purpose: FilePurpose = 'site'): Promise<FileServer> =>
  openFiles(await accessOf(services, siteId, purpose), services.fileAccess.folders)

const tried = async (services: Needed, siteId: string, purpose: FilePurpose): Promise<FileTrial> => {
  const PROBE = '.zest-trial'
  try {
    await withFiles(
      () => siteFiles(services, siteId, purpose),
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
export const tryFileConnection = async (
  services: Needed,
  siteId: string,
  purpose: FilePurpose = 'site',
): Promise<FileConnectionInfo> => {
  await accessOf(services, siteId, purpose).catch((error: unknown) => {
    if (!(error instanceof FileFailure)) throw error
  })
  const trial = await tried(services, siteId, purpose)
  const table = TABLES[purpose]
  await services.db.update(table).set({ trial }).where(eq(table.siteId, siteId))
  return fileConnectionOf(services, siteId, purpose)
}
