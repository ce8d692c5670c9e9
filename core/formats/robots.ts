/**
 * Sitemap addresses named in a robots.txt (sitemaps.org, "Specifying the Sitemap location in your robots.txt"; other
 * records are ignored as RFC 9309 §2.2.4 allows).
 * @returns absolute http(s) addresses in order, each once
 */
export const sitemapsInRobots = (text: string): string[] => {
  const found = text
    .split(/\r\n|\r|\n/)
    .map((line) => /^\s*sitemap\s*:\s*(\S+)/i.exec(line)?.[1])
    .filter((address) => address !== undefined)
    .filter((address) => /^https?:\/\//i.test(address) && URL.canParse(address))
  return [...new Set(found)]
}
