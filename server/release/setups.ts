import type { HasDatabase } from '../db/database.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasClock } from '../live/clock.ts'
import { and, desc, eq } from 'drizzle-orm'
import type { LedgerEntry, Trial } from '../../core/contracts/ledger.ts'
import { Setup } from '../../core/contracts/setup.ts'
import type { Version } from '../../core/contracts/sites.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import type { Database } from '../db/database.ts'
import { ledger, sites, trials, versions } from '../db/schema.ts'
import { oldPages, type OldPages } from '../../core/setup/old-pages.ts'
import { errors } from '../errors/app-errors.ts'
import { pageCacheDigest, refuseUnchecked } from './privacy-gate.ts'
import { writeEntry } from './ledger.ts'
import { siteRow } from '../sites/sites.ts'

/** A setup of a version. @throws AppError NOT_FOUND */
const versionSetup = async (db: Database, siteId: string, number: number): Promise<Setup> => {
  const [found] = await db
    .select()
    .from(versions)
    .where(and(eq(versions.siteId, siteId), eq(versions.number, number)))
  if (found === undefined) throw errors.notFound('version')
  return Setup.parse(found.setup)
}

export const liveSetup = async (db: Database, siteId: string): Promise<{ number: number; setup: Setup }> => {
  const { liveVersion } = await siteRow(db, siteId)
  return { number: liveVersion, setup: await versionSetup(db, siteId, liveVersion) }
}

const trialRow = async (db: Database, siteId: string): Promise<{ setup: Setup; revision: number }> => {
  const [row] = await db.select().from(trials).where(eq(trials.siteId, siteId))
  if (row === undefined) throw errors.notFound('site')
  return { setup: Setup.parse(row.setup), revision: row.revision }
}

export const getTrial = async ({ db }: HasDatabase, siteId: string): Promise<Trial> => {
  const live = await liveSetup(db, siteId)
  const { setup, revision } = await trialRow(db, siteId)
  const [open] = await db
    .select({ id: ledger.id })
    .from(ledger)
    .where(and(eq(ledger.siteId, siteId), eq(ledger.decision, 'open')))
    .orderBy(desc(ledger.at))
    .limit(1)
  return {
    setup,
    revision,
    changes: setupChanges(live.setup, setup).map(({ remedy, sentence }) => ({ remedy, sentence })),
    basedOn: live.number,
    openEntryId: open?.id ?? null,
  }
}

/** What is being measured must stay as it is. @throws AppError MEASUREMENT_UNDER_WAY */
const refuseWhileMeasuring = async ({ jobs }: HasJobs, siteId: string): Promise<void> => {
  if (await jobs.hasOpen(siteId)) throw errors.measuring()
}

const closeOpenEntries = async (
  db: Database,
  siteId: string,
  decision: LedgerEntry['decision'],
  version: number | null,
): Promise<number> => {
  const closed = await db
    .update(ledger)
    .set({ decision, version })
    .where(and(eq(ledger.siteId, siteId), eq(ledger.decision, 'open')))
    .returning({ id: ledger.id })
  // What a guided run has kept in trial shares the trial's fate; a trial that is only changed further keeps it.
  if (decision !== 'none')
    await db
      .update(ledger)
      .set({ decision, version })
      .where(and(eq(ledger.siteId, siteId), eq(ledger.decision, 'kept-in-trial')))
  return closed.length
}

/** What trial has stored was stored under other settings; live is left as it is. */
const emptyTrial = ({ delivery }: HasDelivery, siteId: string): Promise<unknown> =>
  delivery.purge({ siteId, what: { kind: 'everything' }, manner: 'hard', channel: 'trial' })

/**
 * Put a setup into trial; no visitor sees it. A retest of the trial as it was before stays in the ledger, undecided.
 * @param madeFrom revision of the trial that it was made from; undefined: whatever it is now
 * @throws AppError MEASUREMENT_UNDER_WAY, TRIAL_CHANGED
 */
export const saveTrial = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs,
  siteId: string,
  setup: Setup,
  madeFrom?: number,
): Promise<Trial> => {
  await refuseWhileMeasuring(services, siteId)
  return putTrial(services, siteId, setup, madeFrom)
}

/** The same without asking whether anything is under way: for what is under way itself. */
export const putTrial = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents,
  siteId: string,
  setup: Setup,
  madeFrom?: number,
): Promise<Trial> => {
  const { db, publisher, events } = services
  const revision = madeFrom ?? (await trialRow(db, siteId)).revision
  await db.transaction(async (tx) => {
    const saved = await tx
      .update(trials)
      .set({ setup, revision: revision + 1 })
      .where(and(eq(trials.siteId, siteId), eq(trials.revision, revision)))
      .returning({ siteId: trials.siteId })
    if (saved.length === 0) throw errors.trialChanged()
    await closeOpenEntries(tx, siteId, 'none', null)
  })
  await publisher.publish()
  await emptyTrial(services, siteId)
  events.changed(siteId, 'trial')
  return getTrial(services, siteId)
}

/** Nothing that was stored under the setup before is served under the new one, or, where it may be used meanwhile, only until it has been made again. */
const deliverAnew = async (
  { publisher, delivery, events }: HasDelivery & HasPublisher & HasEvents,
  siteId: string,
  old: OldPages,
): Promise<void> => {
  await publisher.publish()
  const everything = { siteId, what: { kind: 'everything' } } as const
  if (old === 'not-usable') await delivery.purge({ ...everything, manner: 'hard' })
  else {
    await delivery.purge({ ...everything, channel: 'live', manner: 'soft', wholly: true })
    await delivery.purge({ ...everything, channel: 'trial', manner: 'hard' })
  }
  for (const what of ['site', 'trial', 'ledger'] as const) events.changed(siteId, what)
  events.store({ siteId, what: 'published', paths: [] })
}

/**
 * Publish the trial as the next version.
 * @throws AppError TRIAL_CHANGED, NOTHING_TO_KEEP, PRIVACY_CHECK_NEEDED, MEASUREMENT_UNDER_WAY
 */
export const keepTrial = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasClock,
  siteId: string,
  { note, revision }: { note: string; revision: number },
  by: string,
): Promise<Version> => {
  const { db, now } = services
  const at = now()
  await refuseWhileMeasuring(services, siteId)
  const { number, old } = await db.transaction(async (tx) => {
    const live = await liveSetup(tx, siteId)
    const trial = await trialRow(tx, siteId)
    if (trial.revision !== revision) throw errors.trialChanged()
    const changes = setupChanges(live.setup, trial.setup).map(({ sentence }) => sentence)
    if (changes.length === 0) throw errors.nothingToKeep()
    if (pageCacheDigest(trial.setup) !== pageCacheDigest(live.setup)) await refuseUnchecked(tx, siteId, trial.setup)
    const [newest] = await tx
      .select()
      .from(versions)
      .where(eq(versions.siteId, siteId))
      .orderBy(desc(versions.number))
      .limit(1)
    const next = (newest?.number ?? 0) + 1
    await tx
      .insert(versions)
      .values({ siteId, number: next, setup: trial.setup, note, publishedAt: at, publishedBy: by })
    await tx.update(sites).set({ liveVersion: next }).where(eq(sites.id, siteId))
    // From here on a page that was opened before is out of date: it must not publish a second time.
    await tx
      .update(trials)
      .set({ revision: revision + 1 })
      .where(eq(trials.siteId, siteId))
    const decided = await closeOpenEntries(tx, siteId, 'kept', next)
    if (decided === 0)
      await writeEntry(
        tx,
        siteId,
        {
          kind: 'kept',
          title: `Kept as version ${next} without a retest`,
          changes,
          by,
          version: next,
          decision: 'kept',
        },
        at,
      )
    return { number: next, old: oldPages(live.setup, trial.setup) }
  })
  await deliverAnew(services, siteId, old)
  return versionNumbered(services, siteId, number)
}

/** Set the trial back to what visitors get. @throws AppError TRIAL_CHANGED, NOTHING_TO_KEEP, MEASUREMENT_UNDER_WAY */
export const backOut = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs,
  siteId: string,
  revision: number,
): Promise<Trial> => {
  const { db, publisher, events } = services
  await refuseWhileMeasuring(services, siteId)
  await db.transaction(async (tx) => {
    const trial = await trialRow(tx, siteId)
    if (trial.revision !== revision) throw errors.trialChanged()
    const { setup } = await liveSetup(tx, siteId)
    await tx
      .update(trials)
      .set({ setup, revision: revision + 1 })
      .where(eq(trials.siteId, siteId))
    await closeOpenEntries(tx, siteId, 'backed-out', null)
  })
  await publisher.publish()
  await emptyTrial(services, siteId)
  for (const what of ['trial', 'ledger'] as const) events.changed(siteId, what)
  return getTrial(services, siteId)
}

/**
 * Give visitors an earlier (or later) version again; the trial is set to it too.
 * @throws AppError ALREADY_LIVE, NOT_FOUND, MEASUREMENT_UNDER_WAY
 */
export const stepBack = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasClock,
  siteId: string,
  number: number,
  by: string,
): Promise<Version> => {
  const { db, now } = services
  const at = now()
  await refuseWhileMeasuring(services, siteId)
  await db.transaction(async (tx) => {
    const live = await liveSetup(tx, siteId)
    if (live.number === number) throw errors.alreadyLive(number)
    const setup = await versionSetup(tx, siteId, number)
    const trial = await trialRow(tx, siteId)
    await tx.update(sites).set({ liveVersion: number }).where(eq(sites.id, siteId))
    await tx
      .update(trials)
      .set({ setup, revision: trial.revision + 1 })
      .where(eq(trials.siteId, siteId))
    await closeOpenEntries(tx, siteId, 'none', null)
    const changes = setupChanges(live.setup, setup).map(({ sentence }) => sentence)
    const title = number < live.number ? `Returned to version ${number}` : `Went forward to version ${number}`
    await writeEntry(tx, siteId, { kind: 'stepped-back', title, changes, by, version: number, decision: 'none' }, at)
  })
  // Something is wrong with what visitors get: none of it is used any longer.
  await deliverAnew(services, siteId, 'not-usable')
  return versionNumbered(services, siteId, number)
}

/** @throws AppError NOT_FOUND */
const versionNumbered = async (services: HasDatabase, siteId: string, number: number): Promise<Version> => {
  const found = (await listVersions(services, siteId)).find((version) => version.number === number)
  if (found === undefined) throw errors.notFound('version')
  return found
}

/** All versions, newest first, each with what it changed against the one before. */
export const listVersions = async ({ db }: HasDatabase, siteId: string): Promise<Version[]> => {
  const { liveVersion } = await siteRow(db, siteId)
  const rows = await db.select().from(versions).where(eq(versions.siteId, siteId)).orderBy(desc(versions.number))
  return rows.map((row, index) => {
    const before = rows[index + 1]
    return {
      number: row.number,
      setup: Setup.parse(row.setup),
      note: row.note,
      publishedAt: row.publishedAt.toISOString(),
      publishedBy: row.publishedBy,
      changes:
        before === undefined
          ? []
          : setupChanges(Setup.parse(before.setup), Setup.parse(row.setup)).map(({ sentence }) => sentence),
      live: row.number === liveVersion,
    }
  })
}
