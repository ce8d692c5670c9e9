import type { Site } from '../../core/contracts/sites.ts'
import type { SeenAnswer } from '../../core/server-rules/confirm-answers.ts'
import { askSite } from '../net/asked-site.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { askedSiteOf } from '../net/asked-site.ts'

const AT_A_TIME = 4
const MOST_BYTES = 8 * 1024 * 1024

const ask = async (site: Site, path: string): Promise<SeenAnswer | null> => {
  try {
    return await askSite(askedSiteOf(site), path, { 'accept-encoding': 'gzip, br' }, MOST_BYTES)
  } catch (error) {
    if (error instanceof OutsideFailure) return null
    throw error
  }
}

/**
 * What visitors get from the site's own web server, a few addresses at a time, in their order.
 * @param goesOn asked after each few, with what has been seen last; false: what is left is not asked
 */
export const askPages = async (
  site: Site,
  paths: readonly string[],
  goesOn: (seen: ReadonlyMap<string, SeenAnswer | null>) => boolean = () => true,
): Promise<Map<string, SeenAnswer | null>> => {
  const seen = new Map<string, SeenAnswer | null>()
  for (let at = 0; at < paths.length; at += AT_A_TIME) {
    const some = paths.slice(at, at + AT_A_TIME)
    const answers = await Promise.all(some.map((path) => ask(site, path)))
    some.forEach((path, index) => seen.set(path, answers[index] ?? null))
    if (!goesOn(seen)) break
  }
  return seen
}
