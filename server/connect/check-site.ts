import { parseFragment } from 'parse5'
import type { Finding, SiteCheck } from '../../core/contracts/sites.ts'
import { CookieJar } from '../../core/http/cookie-jar.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { USER_AGENT, type DeviceClass } from '../../core/http/device.ts'
import { htmlElements } from '../../core/formats/html-tree.ts'
import { settledHtml } from '../../core/page/document/settled-html.ts'
import { sessionCookies } from '../../core/privacy/session-cookies.ts'
import { isLocalhostName } from '../../core/http/special-names.ts'
import {
  chooseSample,
  kindsByRole,
  pageKinds,
  pagesToLookAt,
  type PageCandidate,
} from '../../core/sampling/page-kinds.ts'
import { linkedPages } from '../../core/sampling/links.ts'
import { scheduledAddresses } from '../../core/watching/scheduled-work.ts'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'
import { findPages, lookAtPages, MOST_LOOKED_AT, unlistedKinds } from './find-pages.ts'
import { askSite, type AskedSite } from '../net/asked-site.ts'
import { OutsideFailure, type OutsideAnswer } from '../net/outside-request.ts'
import { upTo } from '../../core/http/up-to.ts'

const SAMPLE_PAGES = 8

/** A page of the site and the kind it is of. */
export type ListedPage = PageCandidate & { readonly kind: string }

/** Ports on which Zest Lamp itself answers, so that a site is not set up in a circle. */
export interface OwnPorts {
  readonly controlPort: number
  readonly deliveryPort: number
  readonly securePort: number
}

const finding = (code: string, level: Finding['level'], sentence: string, evidence: string[] = []): Finding => ({
  code,
  level,
  sentence,
  evidence,
})

const isLoopback = (hostname: string): boolean =>
  isLocalhostName(hostname) || /^(127\.\d+\.\d+\.\d+|\[::1\])$/.test(hostname)

const pointsAtUs = (url: URL, own: OwnPorts): boolean =>
  isLoopback(url.hostname) &&
  [own.controlPort, own.deliveryPort, own.securePort].includes(
    Number(url.port || (url.protocol === 'https:' ? 443 : 80)),
  )

const compressionFinding = ({ fields }: OutsideAnswer): Finding => {
  const coding = fields.get('content-encoding')
  return coding === undefined
    ? finding('not-compressed', 'note', 'Pages are sent without compression.')
    : finding('compressed', 'good', `The server compresses pages itself (${coding}).`, [`content-encoding: ${coding}`])
}

const cachingFinding = ({ fields }: OutsideAnswer): Finding => {
  const lines = ['cache-control', 'expires', 'etag', 'last-modified']
    .filter((name) => fields.has(name))
    .map((name) => `${name}: ${fields.get(name)}`)
  const directives = parseDirectives(fields.get('cache-control'))
  if (directives.has('no-store') || directives.has('private'))
    return finding(
      'forbids-storing',
      'note',
      'Pages forbid shared caches to store them. Zest Lamp obeys, unless you decide otherwise for some kinds of pages.',
      lines,
    )
  return lines.length === 0
    ? finding(
        'no-caching-fields',
        'note',
        'Pages do not say how long they may be stored; Zest Lamp will use the lifetime you set.',
      )
    : finding('caching-fields', 'good', 'Pages say how long they may be stored.', lines)
}

const cookiesOf = ({ setCookies }: OutsideAnswer): [string, string][] => new CookieJar().take(setCookies).pairs

const cookieFinding = (answer: OutsideAnswer, again: OutsideAnswer | undefined): Finding => {
  const { setCookies } = answer
  const names = setCookies.map((line) => upTo(line, '=').trim())
  const sessions = again === undefined ? [] : sessionCookies(cookiesOf(answer), cookiesOf(again))
  if (sessions.length > 0)
    return finding(
      'sessions-everywhere',
      'note',
      `The site gives every visitor a session (${sessions.join(', ')}), and pages that do so are not stored. Under Remedies, the page cache can share pages among visitors whose session holds nothing yet.`,
      sessions,
    )
  return names.length === 0
    ? finding('no-cookies', 'good', 'The home page sets no cookie for a signed-out visitor.')
    : finding(
        'sets-cookies',
        'note',
        `The home page sets a cookie for every visitor (${names.join(', ')}); pages that set cookies are not stored.`,
        names,
      )
}

/** Fields that caches and accelerators leave behind; Age and Cache-Status are standard (RFC 9111 §5.1, RFC 9211), the others common. */
const TRACES = ['age', 'cache-status', 'via', 'x-cache', 'x-cache-status', 'x-cache-hits', 'cdn-cache-control']

/** What a cache on the way calls itself: in Cache-Status (RFC 9211 §2), Via (RFC 9110 §7.6.3), or the common X-Cache ("HIT from name"). */
const nameOfCache = (fields: OutsideAnswer['fields']): string | undefined => {
  const status = /^\s*"?([^";,]+)/.exec(fields.get('cache-status') ?? '')?.[1]
  const via = /^\s*[\w./]+\s+([^\s,(]+(?:\s+\([^)]*\))?)/.exec(fields.get('via') ?? '')?.[1]
  const from = /\bfrom\s+([\w.-]+)/i.exec(fields.get('x-cache') ?? '')?.[1]
  return (status ?? via ?? from)?.trim()
}

const acceleratorFinding = ({ fields }: OutsideAnswer): Finding => {
  const lines = TRACES.filter((name) => fields.has(name)).map((name) => `${name}: ${fields.get(name)}`)
  const name = nameOfCache(fields)
  return lines.length === 0
    ? finding('no-accelerator', 'good', 'No other cache or accelerator was found.')
    : finding(
        'accelerator',
        'note',
        `Another cache or accelerator${name === undefined ? '' : ` (${name})`} seems to be in front of your pages. It would keep serving old pages after a change: switch it off, or describe under Site, “Cache at your host”, how to purge it.`,
        lines,
      )
}

/** Where the home page sets scheduled work going: while visitors get stored pages, nobody calls it. */
const scheduledFinding = (html: string, { named }: AskedSite): Finding[] => {
  const found = scheduledAddresses(html, `${named}/`)
  return found.length === 0
    ? []
    : [
        finding(
          'scheduled-work',
          'note',
          `Page views start the site’s scheduled work (${found[0]}). While visitors get stored pages nothing starts it, and scheduled posts stay unpublished: under Site, let Zest Lamp call it.`,
          found,
        ),
      ]
}

const serverFinding = (answer: OutsideAnswer): Finding =>
  finding(
    'answers',
    'good',
    `The site answers after ${Math.round(answer.tookMs)} ms with ${Math.round(answer.body.length / 1024)} KB of HTML.`,
    ['server', 'x-powered-by', 'content-type']
      .filter((name) => answer.fields.has(name))
      .map((name) => `${name}: ${answer.fields.get(name)}`),
  )

const stop = (code: string, sentence: string, evidence: string[] = []): Finding[] => [
  finding(code, 'stop', sentence, evidence),
]

const loopFinding = ({ host }: URL): Finding[] =>
  stop('loop', `${host} is Zest Lamp itself. Enter the address of the web server that makes the pages.`)

interface Home {
  readonly findings: Finding[]
  readonly site: AskedSite
  readonly answer?: OutsideAnswer
}

/** Where the home page sends visitors on to, when that is another site, or the very address that was asked for. */
const sentOnTo = ({ status, fields }: OutsideAnswer, { named }: AskedSite): string | undefined => {
  const location = status >= 300 && status < 400 ? fields.get('location') : undefined
  if (location === undefined) return undefined
  const target = URL.canParse(location, named) ? new URL(location, named) : undefined
  if (target === undefined) return location
  const isCircle = target.pathname === '/' && target.search === ''
  return target.origin === named && !isCircle ? undefined : target.origin
}

const publicFinding = ({ named }: AskedSite): Finding =>
  finding(
    'public-address',
    'good',
    `The server answers only to its public name, so Zest Lamp always asks it as ${named} and changes links to the names below. Measurements of your server (origin) go through Zest Lamp with everything switched off.`,
  )

/** The site as it answers by another name than it was asked by, when it does. */
const homeAsNamed = async (site: AskedSite, named: string): Promise<Home | undefined> => {
  if (!/^https?:\/\//.test(named)) return undefined
  const home = await lookAtHome({ ...site, named })
  return home.answer === undefined ? undefined : home
}

const askHome = (site: AskedSite): Promise<OutsideAnswer> =>
  askSite(site, '/', { 'accept-encoding': 'br, gzip', accept: 'text/html,*/*' })

const lookAtHome = async (site: AskedSite): Promise<Home> => {
  const { base, named } = site
  let answer: OutsideAnswer
  try {
    answer = await askHome(site)
  } catch (error) {
    if (!(error instanceof OutsideFailure)) throw error
    return { site, findings: stop(error.isPrivate ? 'private-address' : 'unreachable', error.message) }
  }
  if (answer.fields.get('cache-status')?.includes('zest-lamp'))
    return {
      site,
      findings: stop(
        'loop',
        `${new URL(base).host} is already served by Zest Lamp. Enter the address of the web server behind it.`,
      ),
    }
  const elsewhere = sentOnTo(answer, site)
  if (elsewhere !== undefined) {
    const asNamed = named === base && elsewhere !== base ? await homeAsNamed(site, elsewhere) : undefined
    return (
      asNamed ?? {
        site,
        findings: stop(
          'redirects',
          named === base
            ? `This address redirects to ${elsewhere}, even when asked by that name. If that address is yours, connect it instead.`
            : `Asked as ${named}, the server redirects to ${elsewhere}. If that address is yours, enter it as the public address of the site.`,
          [`${answer.status} location: ${answer.fields.get('location')}`],
        ),
      }
    )
  }
  if (answer.status >= 400)
    return {
      site,
      findings: stop(
        'error-status',
        `The home page answers with status ${answer.status}. If the server answers only to its public name, enter the public address below; otherwise fix this first.`,
      ),
    }
  const setsCookies = answer.setCookies.length > 0
  return {
    site,
    findings: [
      serverFinding(answer),
      ...(named === base ? [] : [publicFinding(site)]),
      compressionFinding(answer),
      cachingFinding(answer),
      cookieFinding(answer, setsCookies ? await askHome(site).catch(() => undefined) : undefined),
      acceleratorFinding(answer),
      ...scheduledFinding(answer.body.toString('utf8'), site),
    ],
    answer,
  }
}

/** Whether phones get other HTML; only then are copies per device worth their room. */
const deviceFinding = async (site: AskedSite): Promise<Finding | undefined> => {
  const ask = async (device: DeviceClass): Promise<string> => {
    const answer = await askSite(site, '/', {
      'accept-encoding': 'gzip',
      accept: 'text/html,*/*',
      'user-agent': USER_AGENT[device],
    })
    return answer.body.toString('utf8')
  }
  try {
    const [first, again, phone] = [await ask('other'), await ask('other'), await ask('phone')]
    if (settledHtml(first) !== settledHtml(again)) return undefined
    return settledHtml(first) === settledHtml(phone)
      ? finding('one-html', 'good', 'Phones and laptops get the same HTML; one copy of a page serves both.')
      : finding(
          'device-html',
          'note',
          'Phones and laptops get different HTML. Switch on “Copies per device” in the page cache before pages are stored.',
        )
  } catch {
    return undefined
  }
}

/** Characters of a title, its tag included. */
const LONGEST_TITLE = 2000

/** The last part of the home page's title, which commonly is the name of the site. */
const titleOf = (home: OutsideAnswer | undefined, url: URL): string => {
  const html = home?.body.toString('utf8', 0, 200_000) ?? ''
  const begins = html.search(/<title\b/i)
  // From the first one on, a short way: a page of nothing but beginnings must not be gone through again and again.
  const written = /^<title[^>]*>[^<]*/i.exec(begins === -1 ? '' : html.slice(begins, begins + LONGEST_TITLE))?.[0] ?? ''
  // Written as HTML: &amp; and the like stand for characters.
  const [element] = htmlElements(parseFragment(written))
  const title = (element?.node.childNodes ?? [])
    .map((child) => ('value' in child ? child.value : ''))
    .join('')
    .replaceAll(/\s+/g, ' ')
    .trim()
  const parts = title.split(/\s+[–—|·-]\s+/)
  return (parts.at(-1) || url.hostname).slice(0, 100)
}

/** Names under .localhost mean this machine, so a new site can be looked at before any DNS is changed. */
const suggestedHosts = (name: string, url: URL): SiteCheck['suggestedHosts'] => {
  const fromHost = url.hostname.replace(/^www\./, '').split('.')[0]!
  const word = /^(\d+|localhost|\[.*)$/.test(fromHost)
    ? (name.toLowerCase().match(/[a-z0-9]+/)?.[0] ?? 'site')
    : fromHost
  return { live: `${word}.localhost`, trial: `trial.${word}.localhost` }
}

/** An address to look at, and how. */
export interface SiteLook {
  readonly address: string
  /** What visitors type, where the owner has said so; otherwise it is found out where the server says it. */
  readonly publicAddress?: string | undefined
  readonly privateAddresses: PrivateAddresses
  /** By which the server knows Zest Lamp, where it asks for that. */
  readonly originKey?: string | null
  /** Where the sitemap is, where the owner has said so: a path, or an address of the site. */
  readonly sitemap?: string | undefined
}

/**
 * What a site says about itself: does it answer, and by which name, who sets cookies, what is cached or compressed already, is another accelerator
 * at work, which kinds of pages are there. Asks nothing but the address given.
 * @returns findings of level "stop" when it cannot be connected; never rejects for what the site does
 */
export const checkSite = async (look: SiteLook, own: OwnPorts): Promise<SiteCheck> =>
  (await checkWithPages(look, own)).check

/** The check, and every page that is known of the site with its kind. */
export const checkWithPages = async (
  { address, publicAddress, privateAddresses, originKey = null, sitemap }: SiteLook,
  own: OwnPorts,
): Promise<{ check: SiteCheck; pages: ListedPage[] }> => {
  const base = new URL(address)
  const asked = { base: base.origin, named: publicAddress ?? base.origin, reach: privateAddresses, key: originKey }
  const { findings, site, answer } = pointsAtUs(base, own)
    ? { site: asked, findings: loopFinding(base), answer: undefined }
    : await lookAtHome(asked)
  const named = new URL(site.named)
  const name = titleOf(answer, named)
  const known = {
    address: site.base,
    publicAddress: site.named === site.base ? null : site.named,
    sitemap: sitemap ?? null,
    name,
    suggestedHosts: suggestedHosts(name, named),
  }
  if (findings.some(({ level }) => level === 'stop'))
    return { check: { ...known, findings, kinds: [], sample: [] }, pages: [] }
  const homeHtml = answer?.body.toString('utf8') ?? ''
  const found = await findPages(site, homeHtml, sitemap)
  const device = await deviceFinding(site)
  const { structures, roles } = await lookAtPages(
    site,
    pagesToLookAt(
      pageKinds([...found.pages, ...found.beside]),
      MOST_LOOKED_AT,
      linkedPages(homeHtml, `${site.named}/`),
    ),
  )
  // Sitemaps commonly leave lists out, which visitors see all the same.
  const lists = found.beside.filter(({ path }) => roles.get(path) === 'list')
  const kinds = kindsByRole(pageKinds([...found.pages, ...lists]), roles)
  const unlisted = unlistedKinds(site, homeHtml)
  const check: SiteCheck = {
    ...known,
    findings: [...findings, ...(device === undefined ? [] : [device]), found.finding],
    kinds: [...kinds, ...unlisted].map(({ name: kind, pattern, pages }) => ({
      name: kind,
      pattern,
      pages: pages.length,
    })),
    sample: [...chooseSample(kinds, SAMPLE_PAGES, structures), ...chooseSample(unlisted, unlisted.length)],
  }
  const listed = new Set(found.pages.map(({ path }) => path))
  const pages = kinds.flatMap(({ name: kind, pages: of }) =>
    of.filter(({ path }) => listed.has(path)).map((page) => ({ ...page, kind })),
  )
  return { check, pages }
}
