import { z } from 'zod'
import { FileConnectionInfo } from './file-connections.ts'
import { JobState } from './jobs.ts'

export const BackedUpTable = z.object({
  name: z.string(),
  rows: z.int(),
  checksum: z.string().describe('Over all rows, whatever their order; computed by the database'),
})
export type BackedUpTable = z.infer<typeof BackedUpTable>

/** How far a backup has come: only one that was proved allows a clean-up. */
export const BackupStage = z.enum(['under-way', 'written', 'sent', 'proved', 'not-proved', 'removed'])

/** The media folder beside the database. */
export const MediaBackup = z.object({
  files: z.int(),
  bytes: z.number(),
  sent: z.int().describe('Files that were new or had changed'),
  sentence: z.string(),
})
export type MediaBackup = z.infer<typeof MediaBackup>

export const Backup = z.object({
  id: z.string(),
  jobId: z.string(),
  state: JobState,
  error: z.string().nullable(),
  at: z.iso.datetime(),
  by: z.string(),
  stage: BackupStage,
  file: z.string(),
  bytes: z.number().nullable(),
  plainBytes: z.number().nullable().describe('As SQL, before compression'),
  sha256: z.string().nullable(),
  tables: z.array(BackedUpTable),
  proof: z
    .object({ at: z.iso.datetime(), on: z.string(), sentence: z.string(), differences: z.array(z.string()) })
    .nullable(),
  media: MediaBackup.nullable().describe('Null: the media folder is not connected, or was not reached yet'),
})
export type Backup = z.infer<typeof Backup>

export const BackupsInfo = z.object({
  place: FileConnectionInfo,
  recipient: z.string().describe('Public key that backups are encrypted to (age)'),
  backups: z.array(Backup),
})
export type BackupsInfo = z.infer<typeof BackupsInfo>

/** Restoring everything goes into an empty database, never over the one that is there. */
export const RestoreOrder = z.discriminatedUnion('what', [
  z.strictObject({ what: z.literal('clean-up'), cleanUpId: z.string() }),
  z.strictObject({ what: z.literal('media') }),
  z.strictObject({ what: z.literal('everything'), backupId: z.string(), database: z.string().trim().min(1).max(200) }),
])
export type RestoreOrder = z.infer<typeof RestoreOrder>
