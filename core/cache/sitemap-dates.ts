/** A date without a time of day stands for all of its day (W3C Date and Time Formats). */
const DATE_ONLY = /^\d{4}-\d{2}-\d{2}$/
const DAY_MS = 86_400_000
/** Where so many pages changed within the last minutes, the dates are made when the sitemap is read, and tell nothing. */
const JUST_NOW_MS = 10 * 60_000
const LEAST_PAGES = 5

/**
 * Until when a page may have changed, by its date in a sitemap (sitemaps.org, lastmod); a copy that is older is looked at again.
 * @param now epoch ms
 * @returns epoch ms; undefined where there is no date, or one that lies ahead
 */
const changedUntil = (lastmod: string | undefined, now: number): number | undefined => {
  const at = lastmod === undefined ? Number.NaN : Date.parse(lastmod)
  if (Number.isNaN(at) || at > now) return undefined
  return DATE_ONLY.test(lastmod ?? '') ? Math.min(now, at + DAY_MS) : at
}

/**
 * Until when each page of a sitemap may have changed, in the order of its entries.
 * @param now epoch ms
 * @returns epoch ms; undefined for all of them where the dates are those of the moment at which the sitemap was read
 */
export const changesInSitemap = (
  entries: readonly { readonly lastmod: string | undefined }[],
  now: number,
): (number | undefined)[] => {
  const dates = entries.map(({ lastmod }) => changedUntil(lastmod, now))
  // A date without a time that is today's reaches until now.
  const justNow = dates.filter((at) => at !== undefined && at > now - JUST_NOW_MS).length
  return justNow >= LEAST_PAGES && justNow > entries.length / 2 ? entries.map(() => undefined) : dates
}
