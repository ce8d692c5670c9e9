import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { eq } from 'drizzle-orm'
import type { CookieFinding } from '../../core/contracts/cookies.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { namePatterns } from '../../core/http/patterns.ts'
import { CookieJar } from '../../core/http/cookie-jar.ts'
import { sessionCookies } from '../../core/privacy/session-cookies.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { signInPages } from '../../core/sampling/links.ts'
import { cookieEffect, type CookieTrial } from '../../core/privacy/cookie-effect.ts'
import type { PageCacheSettings } from '../../core/contracts/setup.ts'
import { sites } from '../db/schema.ts'
import { JobFailure, type JobHandler } from '../jobs/job-queue.ts'
import type { OutsideAnswer } from '../net/outside-request.ts'
import { getTrial } from '../release/setups.ts'
import { getSite, siteRow } from '../sites/sites.ts'

import { MadeUpVisitor } from './made-up-visitor.ts'

/** Pages each cookie is tried on; enough for header, list and single page. */
const PAGES = 3
/** More are a sign that something else was pasted. */
const MOST_COOKIES = 40
/** Findings that are kept, the newest ones. */
const MOST_KEPT = 100
/** Pages on which visitors sign in; systems commonly try there whether a browser takes cookies at all. */
const SIGN_IN_PAGES = 2

/** Cookies that wait to be tried; a session is not written down. */
export class CookieOrders {
  readonly #cookies = new Map<string, string>()
  put(jobId: string, cookie: string): void {
    this.#cookies.set(jobId, cookie)
  }
  take(jobId: string): string | undefined {
    const cookie = this.#cookies.get(jobId)
    this.#cookies.delete(jobId)
    return cookie
  }
}

const treatment = (settings: PageCacheSettings, name: string): CookieFinding['treated'] => {
  if (namePatterns(settings.authorCookies)(name)) return 'author'
  if (namePatterns(settings.visitorCookies)(name)) return 'visitor'
  return namePatterns(settings.harmlessCookies)(name) ? 'harmless' : 'unknown'
}

const isRedirect = ({ status }: OutsideAnswer): boolean => status >= 300 && status < 400

/** What an answer shows; a cookie may also decide where a visitor is sent. */
const shown = ({ status, fields, body }: OutsideAnswer): string =>
  status === 200 ? body.toString('utf8') : `${status} ${fields.get('location') ?? ''}\n${body.toString('utf8')}`

const isMarked = ({ fields }: OutsideAnswer): boolean => {
  const directives = parseDirectives(fields.get('cache-control'))
  return ['private', 'no-store', 'no-cache'].some((name) => directives.has(name))
}

/** A page without cookies, twice, and with one cookie, twice. */
const tryPage = async (site: Site, port: number, path: string, name: string, value: string): Promise<CookieTrial> => {
  const ask = (cookie: string): Promise<OutsideAnswer> => new MadeUpVisitor(site, port, cookie).askOrigin(path)
  const without = [await ask(''), await ask('')] as const
  const having = [await ask(`${name}=${value}`), await ask(`${name}=${value}`)] as const
  return {
    path,
    without: [shown(without[0]), shown(without[1])],
    with: [shown(having[0]), shown(having[1])],
    markedPersonal: isMarked(having[0]),
    markedWithout: isMarked(without[0]),
  }
}

interface CookieToTry {
  readonly name: string
  readonly value: string
  /** Whether two visitors were given values of their own. */
  readonly differs: boolean
}

/** Cookies that the site gives to two signed-out visitors on the sample and where they would sign in, and those the owner gave. */
const cookiesToTry = async (site: Site, port: number, given: string): Promise<CookieToTry[]> => {
  const jars = [new CookieJar(given), new CookieJar()] as const
  for (const jar of jars) {
    const stranger = new MadeUpVisitor(site, port)
    const home = await stranger.askOrigin('/')
    jar.take(home.setCookies)
    const signIn = signInPages(home.body.toString('utf8'), `${site.trialUrl}/`).slice(0, SIGN_IN_PAGES)
    for (const path of [...site.sample.slice(0, PAGES).map((page) => page.path), ...signIn])
      jar.take((await stranger.askOrigin(path)).setCookies)
  }
  const [mine, others] = jars
  const sessions = sessionCookies(mine.pairs, others.pairs)
  return mine.pairs.map(([name, value]) => ({ name, value, differs: sessions.includes(name) })).slice(0, MOST_COOKIES)
}

/** What was found now, and before it what was found of cookies that were not tried this time. */
const withEarlier = (earlier: readonly CookieFinding[], now: readonly CookieFinding[]): CookieFinding[] => {
  const names = new Set(now.map(({ name }) => name))
  return [...now, ...earlier.filter(({ name }) => !names.has(name))].slice(0, MOST_KEPT)
}

/**
 * Pages of the sample that show something to a visitor without cookies: of one that only sends visitors on nothing is learnt.
 * @throws JobFailure when there is none
 */
const pagesToTry = async (site: Site, port: number): Promise<string[]> => {
  const paths: string[] = []
  let sentOn = ''
  for (const { path } of site.sample.slice(0, 2 * PAGES)) {
    const answer = await new MadeUpVisitor(site, port).askOrigin(path)
    if (!isRedirect(answer)) paths.push(path)
    else sentOn = `${path} redirects to ${answer.fields.get('location') ?? 'nowhere'}`
    if (paths.length === PAGES) break
  }
  if (paths.length === 0)
    throw new JobFailure(
      `None of the sample pages has content of its own (${sentOn}), so cookies cannot be tested on them. Choose other sample pages.`,
    )
  return paths
}

/** Find out what each cookie does, by comparing answers of the origin with it and without. */
export const cookieSearch =
  (needed: HasDatabase & HasEvents & HasCookieOrders & HasAddresses): JobHandler =>
  async (job, { signal, report }) => {
    const { db, events, addresses, cookieOrders } = needed
    const given = cookieOrders.take(job.id)
    if (given === undefined)
      throw new JobFailure(
        'Zest Lamp was restarted before the cookies were tried, and they are not saved. Start again.',
      )
    const site = await getSite(needed, job.siteId)
    const { setup } = await getTrial(needed, job.siteId)
    const port = addresses.deliveryPort
    const cookies = await cookiesToTry(site, port, given).catch((error: Error) => {
      throw new JobFailure(error.message)
    })
    const paths = await pagesToTry(site, port)
    const findings: CookieFinding[] = []
    const begun = performance.now()
    for (const [done, { name, value, differs }] of cookies.entries()) {
      if (signal.aborted) return
      const msLeft = done === 0 ? null : ((performance.now() - begun) / done) * (cookies.length - done)
      await report(done, cookies.length, `Trying ${name}`, msLeft)
      const trials: CookieTrial[] = []
      for (const path of paths) trials.push(await tryPage(site, port, path, name, value))
      findings.push({
        name,
        ...cookieEffect(name, trials, differs),
        treated: treatment(setup.remedies.pageCache, name),
      })
    }
    const { cookies: earlier } = await siteRow(db, site.id)
    await db
      .update(sites)
      .set({ cookies: withEarlier(earlier, findings) })
      .where(eq(sites.id, site.id))
    events.changed(site.id, 'site')
  }

/** For whoever orders or makes cookie searches. */
export interface HasCookieOrders {
  readonly cookieOrders: CookieOrders
}
