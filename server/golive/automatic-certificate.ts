import { eq } from 'drizzle-orm'
import type {
  AutomaticCertificate,
  AutomaticCertificateOrder,
  AutomaticCertificateState,
} from '../../core/contracts/certificates.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { automaticCertificates } from '../db/going-live-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { hasOpenJob, type HasJobs } from '../jobs/job-queue.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { describeCertificate } from '../sites/describe-certificate.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { siteRow } from '../sites/sites.ts'
import { newAccountKey } from './acme-order.ts'

export type AutomaticRow = typeof automaticCertificates.$inferSelect

/** @returns undefined: the site's certificate is not got by Zest Lamp */
export const automaticRow = async (db: Database, siteId: string): Promise<AutomaticRow | undefined> => {
  const [row] = await db.select().from(automaticCertificates).where(eq(automaticCertificates.siteId, siteId))
  return row
}

export const updateAutomatic = (db: Database, siteId: string, change: Partial<AutomaticRow>): Promise<unknown> =>
  db.update(automaticCertificates).set(change).where(eq(automaticCertificates.siteId, siteId))

const stateOf = (row: AutomaticRow, isGetting: boolean): AutomaticCertificate['state'] => {
  if (isGetting) return 'getting'
  if (row.problem !== null) return 'failed'
  if (row.record !== null) return 'waiting-for-dns'
  return row.lastTryAt === null ? 'getting' : 'valid'
}

/** Where getting and renewing the certificate of a site stands. @throws AppError NOT_FOUND */
export const automaticCertificate = async ({ db }: HasDatabase, siteId: string): Promise<AutomaticCertificateState> => {
  const site = await siteRow(db, siteId)
  const row = await automaticRow(db, siteId)
  if (row === undefined) return { automatic: null }
  return {
    automatic: {
      host: site.liveHost,
      directory: row.directory,
      contact: row.contact,
      challenge: row.challenge,
      hasExternalAccount: row.externalKeyId !== null,
      state: stateOf(row, await hasOpenCertificateJob(db, siteId)),
      problem: row.problem,
      lastTryAt: row.lastTryAt?.toISOString() ?? null,
      nextTryAt: row.nextTryAt?.toISOString() ?? null,
      validUntil: site.tlsCertificate === null ? null : describeCertificate(site.tlsCertificate).validUntil,
      record: row.record,
    },
  }
}

const hasOpenCertificateJob = (db: Database, siteId: string): Promise<boolean> => hasOpenJob(db, siteId, 'certificates')

/** Try now. @throws AppError NOT_FOUND: it is not got by Zest Lamp */
export const tryCertificate = async ({ db, jobs }: HasDatabase & HasJobs, siteId: string): Promise<Job> => {
  const { liveHost } = await siteRow(db, siteId)
  if ((await automaticRow(db, siteId)) === undefined) throw errors.notFound('automatic certificate')
  return jobs.add(
    { siteId, kind: 'certificate', title: `Getting a certificate for ${liveHost}`, subjectId: siteId, total: 1 },
    newId(),
  )
}

/** Get the certificate of a site from an authority from now on, and try at once. @throws AppError NOT_FOUND */
export const orderAutomatic = async (
  io: HasDatabase & HasJobs & HasEvents,
  siteId: string,
  order: AutomaticCertificateOrder,
): Promise<Job> => {
  await siteRow(io.db, siteId)
  const before = await automaticRow(io.db, siteId)
  const isSame =
    before?.directory === order.directory && before.externalKeyId === (order.externalAccount?.keyId ?? null)
  const row = {
    directory: order.directory,
    contact: order.contact,
    challenge: order.challenge,
    externalKeyId: order.externalAccount?.keyId ?? null,
    externalKey: order.externalAccount?.key ?? null,
    // An account with another authority is another account.
    accountKey: isSame ? before.accountKey : await newAccountKey(),
    accountUrl: isSame ? before.accountUrl : null,
    orderUrl: null,
    record: null,
    answers: [],
    failures: 0,
    problem: null,
    lastTryAt: null,
    nextTryAt: null,
  }
  await io.db
    .insert(automaticCertificates)
    .values({ siteId, ...row })
    .onConflictDoUpdate({ target: automaticCertificates.siteId, set: row })
  io.events.changed(siteId, 'certificate')
  return tryCertificate(io, siteId)
}

/** No longer get it; the certificate that is in use stays until it ends. @throws AppError NOT_FOUND */
export const endAutomatic = async (io: HasDatabase & HasEvents & HasPublisher, siteId: string): Promise<void> => {
  await siteRow(io.db, siteId)
  await io.db.delete(automaticCertificates).where(eq(automaticCertificates.siteId, siteId))
  io.events.changed(siteId, 'certificate')
  io.publisher.publishBehind()
}
