import type { CompressionPlan } from '../../core/contracts/compression-check.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { filesOfPage } from '../../core/page/transforms/named-files.ts'
import type { HasDatabase } from '../db/database.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { askedSiteOf, askSite, type AskedSite } from '../net/asked-site.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { getSite } from '../sites/sites.ts'

/** Extensions of text; a file without one is taken by what the page uses it for. */
const TEXT = /\.(?:css|js|mjs|json|svg|xml|txt|webmanifest|ttf|otf|ico)$/i
const MOST = 8

const homeOf = async (site: AskedSite): Promise<string> => {
  try {
    const { fields, body } = await askSite(site, '/')
    return isHtml([['content-type', fields.get('content-type') ?? '']]) ? body.toString('utf8') : ''
  } catch (error) {
    if (error instanceof OutsideFailure) throw errors.notReached(error.message)
    throw error
  }
}

/**
 * Which addresses tell whether a site is compressed: the home page, and the first file of each type of text that it names.
 * @param accepts the field Accept-Encoding of whoever asks
 * @throws AppError NOT_FOUND, NOT_REACHED
 */
export const compressionPlan = async (
  services: HasDatabase & HasAddresses,
  siteId: string,
  accepts: string,
): Promise<CompressionPlan> => {
  const site = askedSiteOf(await getSite(services, siteId))
  const home = new URL('/', site.named)
  const byType = new Map<string, string>()
  for (const file of filesOfPage(await homeOf(site), home)) {
    const { host, pathname, search } = new URL(file.address)
    const extension = TEXT.exec(pathname)?.[0].toLowerCase() ?? (/style|script/.test(file.kind) ? file.kind : undefined)
    if (host !== home.host || extension === undefined || byType.has(extension)) continue
    byType.set(extension, pathname + search)
  }
  const codings = accepts
    .split(',')
    .map((one) => one.trim())
    .filter((one) => one !== '' && !/;\s*q=0(?:\.0*)?$/.test(one))
    .map((one) => one.split(';', 1)[0]?.trim().toLowerCase() ?? '')
  return { paths: ['/', ...byType.values()].slice(0, MOST), accepts: codings }
}
