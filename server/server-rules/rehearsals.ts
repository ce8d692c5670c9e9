import { desc, eq, inArray } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import { RulesChoice, type Rehearsal, type RehearsalOrder } from '../../core/contracts/server-rules.ts'
import { rulesFileChecksum } from '../../core/server-rules/rules-file-text.ts'
import { siteFactsOf } from '../../core/server-rules/rule.ts'
import { chosenRules, rulesText } from '../../core/server-rules/server-rules.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { jobs } from '../db/schema.ts'
import { rehearsals } from '../db/server-rules-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { JobFailure, type HasJobs, type JobHandler } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { liveSetup } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { rehearse } from './rehearse.ts'

const MOST_KEPT = 10
/** Orders that were cancelled before their turn leave their file behind, the oldest first. */
const MOST_FILES = 20

/** For whoever orders or runs rehearsals: the rules files they are about, in memory only, since such files may hold secrets. */
export interface HasRulesFiles {
  readonly rulesFiles: Map<string, Pick<RehearsalOrder, 'present' | 'fetching'>>
}

/** Web servers that were fetched for rehearsals. */
export interface HasServersFolder {
  readonly serversFolder: string
}

const forgetOld = async (db: Database, siteId: string): Promise<void> => {
  const old = await db
    .select({ id: rehearsals.id })
    .from(rehearsals)
    .where(eq(rehearsals.siteId, siteId))
    .orderBy(desc(rehearsals.at))
    .offset(MOST_KEPT)
  const ids = old.map(({ id }) => id)
  if (ids.length > 0) await db.delete(rehearsals).where(inArray(rehearsals.id, ids))
}

/** Queue a rehearsal. @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY, NO_RULES */
export const orderRehearsal = async (
  services: HasDatabase & HasJobs & HasClock & HasRulesFiles & HasAddresses,
  siteId: string,
  { choice, present, fetching }: RehearsalOrder,
  by: string,
): Promise<Job> => {
  const { db, jobs: queue, rulesFiles } = services
  const site = await getSite(services, siteId)
  if (await queue.hasOpen(siteId)) throw errors.measuring()
  const { setup } = await liveSetup(db, siteId)
  const sections = chosenRules(choice, setup, siteFactsOf(site))
  if (sections.length === 0) throw errors.noRules()
  const [id, jobId] = [newId(), newId()]
  const row = {
    ...{ id, siteId, jobId, at: services.now(), by, choice },
    presentChecksum: rulesFileChecksum(present),
    rules: rulesText(sections),
  }
  const title = `Rehearsal of ${sections.length} ${sections.length === 1 ? 'kind' : 'kinds'} of server rules`
  rulesFiles.set(id, { present, fetching })
  const [oldest] = rulesFiles.keys()
  if (rulesFiles.size > MOST_FILES && oldest !== undefined) rulesFiles.delete(oldest)
  const total = site.sample.length + 2
  const job = await queue
    .order({ siteId, kind: 'rehearsal', title, subjectId: id, total }, jobId, (tx) => tx.insert(rehearsals).values(row))
    .catch((error: unknown) => {
      // Nobody will ask for it any more.
      rulesFiles.delete(id)
      throw error
    })
  await forgetOld(db, siteId)
  return job
}

/** Rehearsals of a site, newest first. */
export const listRehearsals = async ({ db }: HasDatabase, siteId: string): Promise<Rehearsal[]> => {
  const rows = await db
    .select({ rehearsal: rehearsals, state: jobs.state })
    .from(rehearsals)
    .innerJoin(jobs, eq(jobs.id, rehearsals.jobId))
    .where(eq(rehearsals.siteId, siteId))
    .orderBy(desc(rehearsals.at))
    .limit(MOST_KEPT)
  return rows.map(({ rehearsal: { siteId: _site, at, ...rest }, state }) => ({ ...rest, at: at.toISOString(), state }))
}

/** Try rules on a web server of this machine over a copy of the site. */
export const rehearsalJob =
  (needed: HasDatabase & HasEvents & HasAddresses & HasRulesFiles & HasServersFolder): JobHandler =>
  async (job, progress) => {
    const { db, events, rulesFiles } = needed
    const [row] = await db.select().from(rehearsals).where(eq(rehearsals.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This rehearsal is gone; start another one.')
    progress.afterwards(async () => void rulesFiles.delete(row.id))
    const known = rulesFiles.get(row.id)
    if (known === undefined)
      throw new JobFailure(
        'Zest Lamp was restarted before this rehearsal ended, and the rules file is not saved. Rehearse again.',
      )
    const site = await getSite(needed, job.siteId)
    const { setup } = await liveSetup(db, job.siteId)
    const told = (done: number, total: number, now: string): Promise<void> => progress.report(done, total, now, null)
    const result = await rehearse(
      site,
      // Of an order from before an update, what has been added since is as by default.
      { choice: RulesChoice.parse(row.choice), ...known },
      setup,
      needed.serversFolder,
      told,
      progress.signal,
    )
    await db.update(rehearsals).set({ result }).where(eq(rehearsals.id, row.id))
    events.changed(job.siteId, 'server-rules')
  }
