import { parse } from 'parse5'
import type { HabitAnswers, SiteHabits } from '../../core/contracts/site-habits.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { attributeOf, htmlElements } from '../../core/formats/html-tree.ts'
import { siteHabits } from '../../core/upkeep/site-habits.ts'
import { checkOfSite } from '../connect/site-quick-check.ts'
import type { HasDatabase } from '../db/database.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { AS_MADE, askedSiteOf, askSite } from '../net/asked-site.ts'
import { OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'
import { getSite } from '../sites/sites.ts'
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

/** How long an address takes, several times; the first only warms up. */
const timesOf = async (site: Site, path: string): Promise<number[]> => {
  const times: number[] = []
  for (let time = 0; time <= TIMES; time++) {
    const answer = await ask(site, path)
    if (answer !== undefined && time > 0) times.push(answer.tookMs)
  }
  return times
}

const generatorOf = (html: string): string | null => {
  for (const { node } of htmlElements(parse(html)))
    if (node.tagName === 'meta' && attributeOf(node, 'name')?.toLowerCase() === 'generator')
      return attributeOf(node, 'content')?.trim().slice(0, 100) ?? null
  return null
}

/** What can be seen from outside of how a site is run, and what the owner has said. @throws AppError NOT_FOUND, NOT_REACHED */
export const lookAtHabits = async (
  services: HasDatabase & HasAddresses & HasClock,
  siteId: string,
): Promise<SiteHabits> => {
  const site = await getSite(services, siteId)
  const path = site.sample[0]?.path ?? '/'
  const page = await ask(site, path)
  if (page === undefined) throw errors.notReached(`The server of the site did not answer for ${path}.`)
  const html = page.body.toString('utf8')
  const filePath = plainFileOf(html, askedSiteOf(site).named) ?? '/robots.txt'
  const { hops } = await checkOfSite(services, siteId, site.address)
  const seen = siteHabits({
    fields: page.fields,
    generator: generatorOf(html),
    pageMs: await timesOf(site, path),
    fileMs: await timesOf(site, filePath),
    filePath,
    connectMs: hops[0]?.connectMs ?? 0,
    protocol: hops[0]?.protocol ?? '',
    scheme: site.address.startsWith('https:') ? 'https' : 'http',
  })
  const { plan } = await upkeepPlanOf(services.db, siteId)
  return { at: services.now().toISOString(), seen, answers: plan.answers }
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
