import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import { eq } from 'drizzle-orm'
import type { ImportedSetup, SetupFile } from '../../core/contracts/setup-file.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import { adaptSetup } from '../../core/setup/adapt-setup.ts'
import { NotASetup, readSetupFile, writeSetupFile } from '../../core/setup/read-setup-file.ts'
import { sitemapPages } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { writeEntry } from './ledger.ts'
import { getTrial, listVersions, saveTrial } from './setups.ts'
import { getSite } from '../sites/sites.ts'

const hostsOf = ({ address, liveUrl, trialUrl }: Site): [string, string, string] => [
  new URL(address).host,
  new URL(liveUrl).host,
  new URL(trialUrl).host,
]

/**
 * A setup as a file.
 * @param number of the version; null: the trial
 * @throws AppError NOT_FOUND
 */
export const exportSetup = async (
  services: HasDatabase & HasAddresses & HasClock,
  siteId: string,
  number: number | null,
): Promise<SetupFile> => {
  const site = await getSite(services, siteId)
  const version =
    number === null ? undefined : (await listVersions(services, siteId)).find((one) => one.number === number)
  if (number !== null && version === undefined) throw errors.notFound('version')
  const setup: Setup = version?.setup ?? (await getTrial(services, siteId)).setup
  const from = { site: site.name, hosts: hostsOf(site), version: number }
  return writeSetupFile(setup, from, version?.note ?? '', services.now().toISOString())
}

const read = (file: unknown, now: string): ReturnType<typeof readSetupFile> => {
  try {
    return readSetupFile(file, now)
  } catch (error) {
    if (error instanceof NotASetup) throw errors.badSetupFile(error.message)
    throw error
  }
}

/**
 * Look at a setup file, and put it into trial when told to. Live is never touched.
 * @throws AppError NOT_FOUND, BAD_SETUP_FILE, MEASUREMENT_UNDER_WAY
 */
export const importSetup = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasAddresses & HasClock,
  siteId: string,
  file: unknown,
  apply: boolean,
  by: string,
): Promise<ImportedSetup> => {
  const site = await getSite(services, siteId)
  const { file: found, migrated } = read(file, services.now().toISOString())
  const listed = await services.db
    .select({ path: sitemapPages.path })
    .from(sitemapPages)
    .where(eq(sitemapPages.siteId, siteId))
  const [origin, live, trialHost] = hostsOf(site)
  const paths = [...listed, ...site.sample].map(({ path }) => path)
  const { setup, adapted, unfit } = adaptSetup(found.setup, found.from?.hosts ?? [], {
    origin,
    live,
    trial: trialHost,
    paths,
    otherHosts: site.hosts.added,
  })
  const trial = await getTrial(services, siteId)
  const changes = setupChanges(trial.setup, setup).map(({ sentence }) => sentence)
  const from =
    found.from === null
      ? 'a file that does not say where it comes from'
      : `${found.from.site}, ${found.from.version === null ? 'in trial' : `version ${found.from.version}`}`
  if (apply) {
    await saveTrial(services, siteId, setup)
    await writeEntry(services.db, siteId, {
      kind: 'imported',
      title: `Setup of ${from} imported into the trial`,
      changes,
      by,
      decision: 'none',
      setup,
    })
    services.events.changed(siteId, 'ledger')
  }
  return { from, changes, adapted, unfit, migrated: [...migrated], applied: apply }
}
