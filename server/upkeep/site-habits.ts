import { parse } from 'parse5'
import { eq } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import { SiteHabits, type HabitAnswers } from '../../core/contracts/site-habits.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { attributeOf, htmlElements } from '../../core/formats/html-tree.ts'
import { siteHabits } from '../../core/upkeep/site-habits.ts'
import { newId } from '../accounts/secrets.ts'
import { checkOfSite } from '../connect/site-quick-check.ts'
import type { HasDatabase } from '../db/database.ts'
import { upkeepPlans } from '../db/upkeep-schema.ts'
import { AppError } from '../errors/app-errors.ts'
import { JobFailure, type HasJobs, type JobHandler } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { AS_MADE, askedSiteOf, askSite } from '../net/asked-site.ts'
import { OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'
import { getSite, siteRow } from '../sites/sites.ts'
import { plainFileOf } from './plain-file.ts'
import { saveUpkeepPlan, upkeepPlanOf } from './upkeep-plan.ts'

const TIMES = 4

const ask = async (site: Site, path: string): Promise<OutsideAnswer | undefined> => {
  try {
    const answer = await askSite(askedSiteOf(site), path, AS_MADE)
    return answer.status === 200 ? answer : undefined
  } catch (error) {
    if (error instanceof OutsideFailure) return undefined
    throw error
  }
}

/** How long an address takes, several times; the first only warms up. @param step told before each of them */
const timesOf = async (site: Site, path: string, step: (words: string) => Promise<void>): Promise<number[]> => {
  const times: number[] = []
  for (let time = 0; time <= TIMES; time++) {
    await step(`How long ${path} takes`)
    const answer = await ask(site, path)
    if (answer !== undefined && time > 0) times.push(answer.tookMs)
  }
  return times
}

const generatorOf = (html: string): string | null => {
  for (const { node } of htmlElements(parse(html)))
    if (node.tagName === 'meta' && attributeOf(node, 'name')?.toLowerCase() === 'generator') {
      const content = attributeOf(node, 'content')?.trim().slice(0, 1000)
      // Cut by characters: half of one is no text, and the database would not take it.
      return content === undefined ? null : Array.from(content).slice(0, 100).join('')
    }
  return null
}

/** The page, how it is reached, and how long it and a file take. */
const STEPS = 2 + 2 * (TIMES + 1)

/** Queue a look from outside. @throws AppError NOT_FOUND, UPKEEP_UNDER_WAY */
export const orderHabitsLook = async (services: HasDatabase & HasJobs, siteId: string): Promise<Job> => {
  await upkeepPlanOf(services.db, siteId)
  return services.jobs.order(
    { siteId, kind: 'habits-look', title: 'Looking at the site from outside', subjectId: siteId, total: STEPS },
    newId(),
    async () => undefined,
  )
}

/** What the newest look found; null: nobody has looked yet. @throws AppError NOT_FOUND */
export const habitsOf = async ({ db }: HasDatabase, siteId: string): Promise<SiteHabits | null> => {
  await siteRow(db, siteId)
  const [row] = await db.select({ habits: upkeepPlans.habits }).from(upkeepPlans).where(eq(upkeepPlans.siteId, siteId))
  return SiteHabits.nullable().parse(row?.habits ?? null)
}

/** What can be seen from outside of how a site is run. */
const lookFromOutside = async (
  services: HasDatabase & HasAddresses & HasClock,
  site: Site,
  step: (words: string) => Promise<void>,
): Promise<SiteHabits> => {
  const path = site.sample[0]?.path ?? '/'
  await step(`Reading ${path}`)
  const page = await ask(site, path)
  if (page === undefined) throw new JobFailure(`The server of the site did not answer for ${path}.`)
  const html = page.body.toString('utf8')
  const filePath = plainFileOf(html, askedSiteOf(site).named) ?? '/robots.txt'
  await step('How the server is reached')
  const { hops } = await checkOfSite(services, site.id, site.address)
  const pageMs = await timesOf(site, path, step)
  if (pageMs.length === 0)
    throw new JobFailure(`The server of the site no longer answers for ${path}. Look again later.`)
  const seen = siteHabits({
    fields: page.fields,
    generator: generatorOf(html),
    pageMs,
    fileMs: await timesOf(site, filePath, step),
    filePath,
    connectMs: hops[0]?.connectMs ?? 0,
    protocol: hops[0]?.protocol ?? '',
    scheme: site.address.startsWith('https:') ? 'https' : 'http',
  })
  return { at: services.now().toISOString(), seen }
}

/** Begins again after a restart: it keeps nothing before it has seen all. */
export const habitsJob =
  (services: HasDatabase & HasAddresses & HasClock & HasEvents): JobHandler =>
  async ({ siteId }, { signal, report }) => {
    const site = await getSite(services, siteId)
    let done = 0
    const habits = await lookFromOutside(services, site, async (words) => {
      signal.throwIfAborted()
      await report(done++, STEPS, words, null)
    }).catch((error: unknown) => {
      throw error instanceof AppError ? new JobFailure(error.message) : error
    })
    await services.db.update(upkeepPlans).set({ habits }).where(eq(upkeepPlans.siteId, siteId))
    services.events.changed(siteId, 'upkeep')
  }

/** What the owner says of what nobody can see from outside. @throws AppError NOT_FOUND */
export const saveHabitAnswers = async (
  services: HasDatabase,
  siteId: string,
  answers: HabitAnswers,
): Promise<HabitAnswers> => {
  const { plan } = await upkeepPlanOf(services.db, siteId)
  return (await saveUpkeepPlan(services, siteId, { ...plan, answers })).answers
}
