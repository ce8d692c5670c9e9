import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasPrivacyOrders } from './privacy-checks.ts'
import { eq } from 'drizzle-orm'
import { PRIVACY_VISITORS, type PrivacyVisitor } from '../../core/contracts/privacy.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { namePatterns, pathPatterns } from '../../core/http/patterns.ts'
import { judgePrivacy, type Observation } from '../../core/privacy/leak-verdict.ts'
import { kindsToCheck } from '../../core/catalogue/privacy-check-need.ts'
import { privacyChecks, sitemapPages } from '../db/schema.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import { stepEstimate } from '../jobs/step-estimate.ts'
import { getTrial } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { MadeUpVisitor } from './made-up-visitor.ts'
import { upTo } from '../../core/http/up-to.ts'

/** Pages of each kind in question that are looked at besides the sample. */
const PAGES_OF_KIND = 3
/** Leaks that are kept; a page that leaks at all leaks in many places. */
const MOST_LEAKS = 50

type Needed = HasDatabase & HasDelivery & HasEvents & HasAddresses & HasPrivacyOrders

/** The sample, some pages of each kind that the setup has special rules for, and pages with forms. */
const pagesToAsk = async ({ db }: Needed, site: Site, kinds: { paths: string[] }[]): Promise<string[]> => {
  const listed = await db.select().from(sitemapPages).where(eq(sitemapPages.siteId, site.id))
  const paths = new Set(site.sample.map(({ path }) => path))
  for (const { paths: patterns } of kinds) {
    const fits = pathPatterns(patterns)
    const own = listed.map(({ path }) => path).filter((path) => fits(upTo(path, '?')))
    for (const path of own.slice(0, PAGES_OF_KIND)) paths.add(path)
    if (own.length === 0) for (const pattern of patterns) if (!pattern.includes('*')) paths.add(pattern)
  }
  for (const path of await pagesWithForms(site, listed)) paths.add(path)
  return [...paths]
}

/** Kinds of pages that are looked at for forms. */
const MOST_KINDS_FOR_FORMS = 8
/** Pages with forms that are added: many sites have the same form at the foot of every page. */
const MOST_FORM_PAGES = 2
const SENT_FORM = /<form\b[^>]*\bmethod\s*=\s*["']?post\b/i

/** Pages of different kinds that have a form: what a form holds may belong to one visitor. */
const pagesWithForms = async (site: Site, listed: readonly { path: string; kind: string }[]): Promise<string[]> => {
  const firsts = new Map<string, string>()
  for (const { path, kind } of listed) if (!firsts.has(kind)) firsts.set(kind, path)
  const stranger = new MadeUpVisitor(site, 0)
  const found: string[] = []
  for (const path of [...firsts.values()].slice(0, MOST_KINDS_FOR_FORMS)) {
    if (found.length === MOST_FORM_PAGES) break
    const answer = await stranger.askOrigin(path).catch(() => undefined)
    if (answer !== undefined && SENT_FORM.test(answer.body.toString('utf8'))) found.push(path)
  }
  return found
}

/** Cookies that the setup says something of. */
const knownCookies = ({ remedies: { pageCache } }: Setup): ((name: string) => boolean) =>
  namePatterns([
    ...pageCache.visitorCookies,
    ...pageCache.authorCookies,
    ...pageCache.harmlessCookies,
    ...pageCache.kinds.flatMap(({ ignoredCookies, sessionCookies }) => [...ignoredCookies, ...sessionCookies]),
  ])

const visitorsOf = async (
  { addresses, privacyOrders }: Needed,
  site: Site,
  checkId: string,
  isKnown: (name: string) => boolean,
): Promise<ReadonlyMap<PrivacyVisitor, MadeUpVisitor>> => {
  const order = privacyOrders.take(checkId)
  if (order === undefined)
    throw new JobFailure(
      'Zest Lamp was restarted before this check ended, and sign-in data is not saved. Start the check again.',
    )
  const visitors = new Map(PRIVACY_VISITORS.map((name) => [name, new MadeUpVisitor(site, addresses.deliveryPort)]))
  await visitors.get('signed in, first')?.signIn(order.signInPath, order.visitors[0], 'first')
  await visitors.get('signed in, second')?.signIn(order.signInPath, order.visitors[1], 'second')
  for (const [name, visitor] of visitors) if (name.startsWith('signed in')) await visitor.forgetUnneeded(isKnown)
  return visitors
}

/** One page: everyone asks the origin, those signed in twice; then everyone asks the trial, twice, so that what the first ones filled is what the others get. */
const observe = async (path: string, visitors: ReadonlyMap<PrivacyVisitor, MadeUpVisitor>): Promise<Observation[]> => {
  // At the origin nobody's answer depends on who asked before; in the trial that is what is tried.
  const asked = [...visitors].map(async ([name, visitor]) => {
    const answer = await visitor.askOrigin(path)
    // Only who is signed in has something of their own to lose.
    const again = name.startsWith('signed in') ? await visitor.askOrigin(path) : undefined
    return [
      name,
      {
        direct: { status: answer.status, body: answer.body.toString('utf8') },
        ...(again === undefined ? {} : { directAgain: again.body.toString('utf8') }),
      },
    ] as const
  })
  const direct = new Map<PrivacyVisitor, Pick<Observation, 'direct' | 'directAgain'>>(await Promise.all(asked))
  for (const visitor of visitors.values()) await visitor.askTrial(path)
  const observations: Observation[] = []
  for (const [name, visitor] of visitors) {
    const answer = await visitor.askTrial(path)
    observations.push({
      path,
      visitor: name,
      ...direct.get(name)!,
      trial: {
        status: answer.status,
        body: answer.body.toString('utf8'),
        cacheStatus: answer.fields.get('cache-status') ?? '',
        setCookies: answer.setCookies,
      },
      secrets: visitor.secrets,
    })
  }
  return observations
}

const askAll = async (
  paths: readonly string[],
  visitors: ReadonlyMap<PrivacyVisitor, MadeUpVisitor>,
  { signal, report }: JobProgress,
): Promise<Observation[]> => {
  const observations: Observation[] = []
  const estimate = stepEstimate(paths.length)
  for (const [done, path] of paths.entries()) {
    if (signal.aborted) return observations
    await report(done, paths.length, `Four visitors load ${path}`, estimate.left(done))
    observations.push(...(await observe(path, visitors)))
  }
  return observations
}

/** Look whether anything of one visitor reaches another through the trial, and whether all see what is theirs. */
export const privacyJob =
  (needed: Needed): JobHandler =>
  async (job, progress) => {
    const { db, delivery, events } = needed
    const end = async (change: Partial<typeof privacyChecks.$inferInsert>): Promise<void> => {
      await db.update(privacyChecks).set(change).where(eq(privacyChecks.id, job.subjectId))
      events.changed(job.siteId, 'privacy')
    }
    try {
      const site = await getSite(needed, job.siteId)
      const { setup } = await getTrial(needed, job.siteId)
      const needing = kindsToCheck(setup)
      const kinds = setup.remedies.pageCache.kinds.filter(({ name }) => needing.includes(name))
      const paths = await pagesToAsk(needed, site, kinds)
      const visitors = await visitorsOf(needed, site, job.subjectId, knownCookies(setup))
      // Only of trial: live goes on as it is.
      await delivery.purge({
        siteId: site.id,
        what: { kind: 'everything' },
        manner: 'hard',
        channel: 'trial',
      })
      const observations = await askAll(paths, visitors, progress)
      if (progress.signal.aborted) return await end({ state: 'failed' })
      const stored = observations.filter(({ trial }) => /;\s*(hit|collapsed)\b/.test(trial.cacheStatus)).length
      if (stored === 0)
        throw new JobFailure(
          'No response came from the store, so there was nothing to check. Store, Request path shows why the pages are not stored.',
        )
      const leaks = judgePrivacy(observations).slice(0, MOST_LEAKS)
      await end({ state: leaks.length === 0 ? 'passed' : 'leaks', pages: paths.length, stored, leaks })
    } catch (error) {
      await end({ state: 'failed' })
      throw error instanceof JobFailure ? error : new JobFailure((error as Error).message)
    }
  }
