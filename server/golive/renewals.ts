import { lte } from 'drizzle-orm'
import { inBackground } from '../../core/in-background.ts'
import { automaticCertificates } from '../db/going-live-schema.ts'
import type { HasDatabase } from '../db/database.ts'
import { hasOpenJob, type HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { tryCertificate } from './automatic-certificate.ts'
import type { HasAuthority } from './certificate-job.ts'

/** How often it is looked which certificates are due, ms. */
const LOOK_MS = 60_000

type RenewalIo = HasDatabase & HasJobs & HasClock & HasAuthority

/** Get those certificates whose time has come; where a record is waited for, only once it is there. */
export const renewDue = async (io: RenewalIo): Promise<void> => {
  const { db, now, authority } = io
  const due = await db.select().from(automaticCertificates).where(lte(automaticCertificates.nextTryAt, now()))
  for (const { siteId, record, problem } of due) {
    if (await hasOpenJob(db, siteId, 'certificates')) continue
    if (record !== null && problem === null && !(await authority.isVisible(record))) continue
    await tryCertificate(io, siteId)
  }
}

/** @returns a function that ends it */
export const startRenewals = (io: RenewalIo, log: (error: unknown) => void): (() => void) => {
  let busy = false
  const timer = setInterval(() => {
    if (busy) return
    busy = true
    inBackground(
      renewDue(io).finally(() => (busy = false)),
      log,
    )
  }, LOOK_MS)
  timer.unref()
  return () => clearInterval(timer)
}
