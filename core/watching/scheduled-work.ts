/** Words by which content systems commonly name the address that sets their scheduled work going (common practice). */
const NAMES = /(?:^|[/._-])(?:cron|scheduler?|scheduled|run-?due|task-?runner|queue-?run)(?:$|[/._?-])/i
const ADDRESS =
  /(?:\b(?:src|href|action)\s*=\s*["']?|(?:fetch|sendBeacon|open)\(\s*(?:["']GET["']\s*,\s*)?["'])([^"'\s<>)]{1,500})/gi

/**
 * Addresses in a page that set scheduled work of a content system going: pages call them behind their visitors' backs, and when pages come from a store,
 * nobody does.
 * @param address of the page
 * @returns paths of the same site with their queries, each once
 */
export const scheduledAddresses = (html: string, address: string): string[] => {
  const { hostname } = new URL(address)
  const found = new Set<string>()
  for (const [, written] of html.matchAll(ADDRESS)) {
    const text = (written ?? '').replaceAll('&amp;', '&')
    if (!URL.canParse(text, address)) continue
    const url = new URL(text, address)
    if (url.hostname === hostname && NAMES.test(url.pathname) && !/\.(?:css|js)$/i.test(url.pathname))
      found.add(url.pathname + url.search)
  }
  return [...found]
}
