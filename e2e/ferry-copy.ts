import { filesOfPage } from '../core/page/transforms/named-files.ts'

/** Files of a web server by their path below its folder. */
export type SiteFiles = Record<string, string | Buffer>

/**
 * Pages of the ferry site with their files, to be served by another web server. Pages other than the home page end in a slash.
 * @param change made to the text of each page
 */
export const ferryFiles = async (
  address: string,
  paths: readonly string[],
  change: (html: string) => string = (html) => html,
): Promise<SiteFiles> => {
  const files: SiteFiles = {}
  for (const path of paths) {
    const url = new URL(path.replace(/(.)\/$/, '$1'), address)
    const plain = await (await fetch(url)).text()
    files[`${path.slice(1)}index.html`] = change(plain)
    for (const file of filesOfPage(plain, url)) {
      const { pathname, host } = new URL(file.address)
      if (host !== url.host || files[pathname.slice(1)] !== undefined) continue
      const answer = await fetch(new URL(pathname, address))
      if (answer.ok) files[pathname.slice(1)] = Buffer.from(await answer.arrayBuffer())
    }
  }
  return files
}
