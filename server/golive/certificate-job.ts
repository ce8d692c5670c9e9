import { X509Certificate } from 'node:crypto'
import { isWorthTelling, pauseAfter, renewalTime } from '../../core/golive/renewal.ts'
import type { TextRecord } from '../../core/contracts/certificates.ts'
import type { HasDatabase } from '../db/database.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { tell } from '../routine/messages.ts'
import { useCertificate } from '../sites/certificates.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { siteRow } from '../sites/sites.ts'
import { orderCertificate, ORDER_STEPS, ProofRefused } from './acme-order.ts'
import { automaticRow, updateAutomatic, type AutomaticRow } from './automatic-certificate.ts'

/** What certificates need of the world outside. */
export interface HasAuthority {
  readonly authority: {
    /** PEM of whoever vouches for a private certificate authority; undefined: those that this machine trusts. */
    readonly trusted: string | undefined
    /** @returns whether a text record is to be seen in the DNS */
    readonly isVisible: (record: TextRecord) => Promise<boolean>
  }
}

export type CertificateIo = HasDatabase & HasPublisher & HasEvents & HasClock & HasAuthority

/** How often it is looked whether the record is there, ms. */
const LOOK_FOR_RECORD_MS = 60_000

/** @throws whatever the work throws, or the reason of the signal, whichever comes first */
const orCancelled = <T>(work: Promise<T>, signal: AbortSignal): Promise<T> =>
  new Promise((resolve, reject) => {
    signal.throwIfAborted()
    signal.addEventListener('abort', () => reject(signal.reason as Error), { once: true })
    work.then(resolve, reject)
  })

const validityOf = (pem: string): { from: number; until: number } => {
  const { validFrom, validTo } = new X509Certificate(pem)
  return { from: Date.parse(validFrom), until: Date.parse(validTo) }
}

const attempt = async (io: CertificateIo, row: AutomaticRow, progress: JobProgress): Promise<void> => {
  const { db, now } = io
  const { siteId } = row
  const site = await siteRow(db, siteId)
  const account = {
    directory: row.directory,
    contact: row.contact,
    accountKey: row.accountKey,
    accountUrl: row.accountUrl,
    external:
      row.externalKeyId === null || row.externalKey === null
        ? null
        : { keyId: row.externalKeyId, key: row.externalKey },
    reach: site.hosts.privateAddresses,
    trusted: io.authority.trusted,
  }
  const outcome = await orderCertificate(
    account,
    site.liveHost,
    row.challenge,
    row.orderUrl,
    {
      publish: async (answers) => {
        await updateAutomatic(db, siteId, { answers: [...answers] })
        await io.publisher.publish()
      },
      isVisible: io.authority.isVisible,
    },
    {
      onAccount: async (accountUrl) => void (await updateAutomatic(db, siteId, { accountUrl })),
      onOrder: async (orderUrl) => void (await updateAutomatic(db, siteId, { orderUrl })),
      onStep: (step, words) => progress.report(step, ORDER_STEPS, words, null),
    },
  )
  // Who has cancelled it wants no certificate any more.
  progress.signal.throwIfAborted()
  const at = now()
  if (outcome.kind === 'record-missing') {
    const nextTryAt = new Date(at.getTime() + LOOK_FOR_RECORD_MS)
    await updateAutomatic(db, siteId, { record: outcome.record, problem: null, lastTryAt: at, nextTryAt })
    const isNew = row.record?.value !== outcome.record.value
    const sentence = `For the certificate of ${site.liveHost}, enter a TXT record in your DNS: ${outcome.record.name} with the value ${outcome.record.value}. It goes on by itself once the record is seen.`
    if (isNew) await tell(db, io.events, siteId, [{ kind: 'certificate-record', sentence }], null)
    return
  }
  await useCertificate(io, siteId, outcome)
  const renewAt = new Date(renewalTime(validityOf(outcome.certificate)))
  await updateAutomatic(db, siteId, {
    orderUrl: null,
    record: null,
    failures: 0,
    problem: null,
    lastTryAt: at,
    nextTryAt: renewAt,
  })
}

const sentenceOf = (row: AutomaticRow, host: string, error: Error): string => {
  // What the library says where no answer came at all.
  const why = error instanceof TypeError ? 'it stopped answering' : error.message.replace(/\.$/, '')
  const how = !(error instanceof ProofRefused)
    ? ''
    : row.challenge === 'http-01'
      ? ` See that http://${host}/ (port 80) reaches Zest Lamp from outside, or prove it by a record in the DNS.`
      : ' See that the record in your DNS is the one that is shown.'
  return `No certificate for ${host} came from ${new URL(row.directory).host}: ${why}.${how}`
}

/** Why it failed is kept, and when it is tried again. */
const failed = async (io: CertificateIo, row: AutomaticRow, error: Error): Promise<JobFailure> => {
  const site = await siteRow(io.db, row.siteId)
  const at = io.now()
  const failures = row.failures + 1
  const sentence = sentenceOf(row, site.liveHost, error)
  await updateAutomatic(io.db, row.siteId, {
    failures,
    problem: sentence,
    record: null,
    orderUrl: null,
    lastTryAt: at,
    nextTryAt: new Date(at.getTime() + pauseAfter(failures)),
  })
  const until = site.tlsCertificate === null ? null : validityOf(site.tlsCertificate).until
  if (isWorthTelling(failures, until, at.getTime()))
    await tell(io.db, io.events, row.siteId, [{ kind: 'certificate-failed', sentence }], null)
  return new JobFailure(sentence)
}

/** Gets a certificate from an authority, or gets it anew; a try that a restart cut off goes on with the same order. */
export const certificateJob =
  (io: CertificateIo): JobHandler =>
  async (job, progress) => {
    const row = await automaticRow(io.db, job.siteId)
    if (row === undefined) throw new JobFailure('The certificate of this site is no longer got by Zest Lamp.')
    progress.afterwards(async () => {
      await updateAutomatic(io.db, job.siteId, { answers: [] })
      io.publisher.publishBehind()
      io.events.changed(job.siteId, 'certificate')
    })
    try {
      await orCancelled(attempt(io, row, progress), progress.signal)
    } catch (error) {
      if (progress.signal.aborted) throw error
      throw await failed(io, row, error as Error)
    }
    await progress.report(ORDER_STEPS, ORDER_STEPS, 'Done', 0)
  }
