import { createHash, randomBytes } from 'node:crypto'
import { setTimeout } from 'node:timers/promises'
import { parse } from 'parse5'
import type { CdnObservation, ComparedAnswer } from '../../core/cdn/compare-answers.ts'
import type { CdnScope } from '../../core/contracts/rented-cdn.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { attributeOf, htmlElements } from '../../core/formats/html-tree.ts'
import { connectHost } from '../../core/http/special-names.ts'
import { readSheet, styleAddresses } from '../../core/page/styles/addresses.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { askOutside, type OutsideAnswer } from '../net/outside-request.ts'

const TIMEOUT_MS = 15_000
/** Date counts whole seconds (RFC 9110 §5.6.7): after this two messages made one after the other differ in it. */
const PAUSE_MS = 1100
/** What is looked through of a page or a style sheet: an origin cannot keep control busy with more. */
const MOST_READ_BYTES = 500_000
const startOf = ({ body }: OutsideAnswer): string => body.subarray(0, MOST_READ_BYTES).toString('utf8')
const ANY_CODING = 'br, gzip'
const FONT = /\.(?:woff2?|ttf|otf)(?:[?#]|$)/i

const compared = ({ status, fields, setCookies, body }: OutsideAnswer): ComparedAnswer => ({
  status,
  fields,
  setsCookies: setCookies.length > 0,
  digest: createHash('sha256').update(body).digest('hex'),
})

/** Asks one host for addresses of the site. */
type Asks = (path: string, fields: Record<string, string>) => Promise<OutsideAnswer>

const asksLive =
  (site: Site, { deliveryPort }: HasAddresses['addresses']): Asks =>
  (path, fields) =>
    askOutside(`http://127.0.0.1:${deliveryPort}${path}`, {
      reach: 'allowed',
      timeoutMs: TIMEOUT_MS,
      fields: { host: new URL(site.liveUrl).host, ...fields },
    })

const asksCdn =
  (site: Site, hostUrl: string): Asks =>
  (path, fields) => {
    const url = new URL(hostUrl)
    const { host, hostname } = url
    url.hostname = connectHost(hostname)
    return askOutside(url.origin + path, {
      reach: site.hosts.privateAddresses,
      timeoutMs: TIMEOUT_MS,
      fields: { host, ...fields },
    })
  }

/** A style sheet of the home page, and a font that it names. @returns paths; none where the page names none */
const filesOfHome = async (live: Asks, site: Site): Promise<{ text: string | undefined; font: string | undefined }> => {
  // Somebody with cookies gets the files of the site itself, also where others are led to a CDN already.
  const home = await live('/', { accept: 'text/html', cookie: 'check=1' })
  const own = new URL(site.liveUrl)
  const pathOf = (value: string, base: URL): string | undefined => {
    if (!URL.canParse(value, base)) return undefined
    const url = new URL(value, base)
    return url.host === own.host ? url.pathname + url.search : undefined
  }
  const sheets = [...htmlElements(parse(startOf(home)))]
    .filter(({ node }) => node.tagName === 'link' && attributeOf(node, 'rel')?.toLowerCase() === 'stylesheet')
    .flatMap(({ node }) => pathOf(attributeOf(node, 'href') ?? '', own) ?? [])
  for (const sheet of sheets.slice(0, 5)) {
    const answer = await live(sheet, {})
    const named = styleAddresses(readSheet(startOf(answer))).find(({ value }) => FONT.test(value))?.value
    const font = named === undefined ? undefined : pathOf(named, new URL(sheet, own))
    if (font !== undefined) return { text: sheet, font }
  }
  return { text: sheets[0], font: undefined }
}

const withQuery = (path: string): string =>
  `${path}${path.includes('?') ? '&' : '?'}check=${randomBytes(6).toString('hex')}`

const observe = async (
  live: Asks,
  cdn: Asks,
  path: string,
  as: CdnObservation['as'],
  session: string | undefined,
): Promise<CdnObservation> => {
  const fields = { 'accept-encoding': ANY_CODING, ...(as === 'font' ? { origin: 'https://page.example' } : {}) }
  // Its first visitor may still get what is made better for the next one.
  await live(path, fields)
  const of = async (asks: Asks, target: string, more: Record<string, string>): Promise<ComparedAnswer> =>
    compared(await asks(target, { ...fields, ...more }))
  const first = await of(cdn, path, {})
  await setTimeout(PAUSE_MS)
  const second = await of(cdn, path, {})
  return {
    path,
    as,
    live: await of(live, path, {}),
    first,
    second,
    plain: await of(cdn, path, { 'accept-encoding': 'identity' }),
    queried: await of(cdn, withQuery(path), {}),
    ...(session === undefined ? {} : { signedIn: await of(cdn, path, { cookie: `${session}=check` }) }),
  }
}

/**
 * Ask CDN and live for the same addresses.
 * @param session name of a cookie that makes a visitor one who is signed in
 * @throws OutsideFailure
 */
export const observeCdn = async (
  { addresses }: HasAddresses,
  site: Site,
  { hostUrl, scope, session }: { hostUrl: string; scope: CdnScope; session: string },
): Promise<CdnObservation[]> => {
  const [live, cdn] = [asksLive(site, addresses), asksCdn(site, hostUrl)]
  const { text, font } = await filesOfHome(live, site)
  return Promise.all([
    ...(text === undefined ? [] : [observe(live, cdn, text, 'text', undefined)]),
    ...(font === undefined ? [] : [observe(live, cdn, font, 'font', undefined)]),
    ...(scope === 'site' ? [observe(live, cdn, site.sample[0]?.path ?? '/', 'page', session)] : []),
  ])
}
