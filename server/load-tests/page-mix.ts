import type { LoadTest } from '../../core/contracts/load-tests.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { unsafeLink } from '../../core/prefetch/safe-links.ts'
import { namePatterns, pathPatterns } from '../../core/http/patterns.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'

/** Requests from which on counted shares say something. */
const LEAST_COUNTED = 200
const MOST_PAGES = 100

/** What visitors of a test ask for: the site's pages in the shares in which they were asked for, else the sample in equal ones. */
export const pageMix = async (
  { delivery }: HasDelivery,
  site: Site,
  setup: Setup,
): Promise<Pick<LoadTest, 'pages' | 'mix'>> => {
  const { passPaths, passParameters } = setup.remedies.pageCache
  const rules = {
    // No page is a link to itself here.
    page: new URL('/%00', site.liveUrl),
    passesPath: pathPatterns(passPaths),
    passesParameter: namePatterns(passParameters),
  }
  const isSafe = (target: string): boolean =>
    URL.canParse(target, site.liveUrl) &&
    unsafeLink({ address: new URL(target, site.liveUrl), rel: [], words: '', attributes: [] }, rules) === undefined
  const { pages } = await delivery.visited(site.id)
  const safe = pages.filter(({ target }) => isSafe(target)).slice(0, MOST_PAGES)
  const all = safe.reduce((sum, { requests }) => sum + requests, 0)
  if (all >= LEAST_COUNTED)
    return { mix: 'counted', pages: safe.map(({ target, requests }) => ({ target, share: requests / all })) }
  return { mix: 'sample', pages: site.sample.map(({ path }) => ({ target: path, share: 1 / site.sample.length })) }
}
