import type { Finding, SiteCheck } from '../../core/contracts/sites.ts'
import { USER_AGENT, type DeviceClass } from '../../core/http/device.ts'
import { isLocalhostName } from '../../core/http/special-names.ts'
import { chooseSample, pageKinds, pagesToLookAt, type PageCandidate } from '../../core/sampling/kinds.ts'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'
import { findPages, lookAtStructures, MOST_LOOKED_AT } from './find-pages.ts'
import { askOutside, OutsideFailure, type OutsideAnswer } from './outside-request.ts'

const SAMPLE_PAGES = 8

/** A page of the site and the kind it is of. */
export type ListedPage = PageCandidate & { readonly kind: string }

/** Ports on which Zest Lamp itself answers, so that a site is not set up in a circle. */
export interface OwnPorts {
  readonly controlPort: number
  readonly deliveryPort: number
  readonly securePort: number
}

const finding = (
  code: string,
  level: Finding['level'],
  sentence: string,
  evidence: string[] = [],
): Finding => ({
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
    : finding('compressed', 'good', `The server compresses pages itself (${coding}).`, [
        `content-encoding: ${coding}`,
      ])
}

const cachingFinding = ({ fields }: OutsideAnswer): Finding => {
  const lines = ['cache-control', 'expires', 'etag', 'last-modified']
    .filter((name) => fields.has(name))
    .map((name) => `${name}: ${fields.get(name)}`)
  return lines.length === 0
    ? finding(
        'no-caching-fields',
        'note',
        'Pages say nothing about how long they may be kept; Zest Lamp will use the lifetime you set.',
      )
    : finding('caching-fields', 'good', 'Pages say how long they may be kept.', lines)
}

const cookieFinding = ({ setCookies }: OutsideAnswer): Finding => {
  const names = setCookies.map((line) => line.split('=', 1)[0]!.trim())
  return names.length === 0
    ? finding('no-cookies', 'good', 'A signed-out visitor gets no cookie from the home page.')
    : finding(
        'sets-cookies',
        'note',
        `The home page gives every visitor a cookie (${names.join(', ')}); pages that set cookies are not stored.`,
        names,
      )
}

/** Fields that caches and accelerators leave behind; Age and Cache-Status are standard (RFC 9111 §5.1, RFC 9211), the others common. */
const TRACES = [
  'age',
  'cache-status',
  'via',
  'x-cache',
  'x-cache-status',
  'x-cache-hits',
  'cdn-cache-control',
]

const acceleratorFinding = ({ fields }: OutsideAnswer): Finding => {
  const lines = TRACES.filter((name) => fields.has(name)).map((name) => `${name}: ${fields.get(name)}`)
  return lines.length === 0
    ? finding('no-accelerator', 'good', 'No other cache or accelerator shows in the answer.')
    : finding(
        'accelerator',
        'note',
        'Another cache or accelerator seems to be at work. Two at once fight each other: switch the other one off, or give its origin as the address.',
        lines,
      )
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

const homeFindings = async (
  url: URL,
  own: OwnPorts,
  reach: PrivateAddresses,
): Promise<{ findings: Finding[]; home?: OutsideAnswer }> => {
  if (pointsAtUs(url, own))
    return {
      findings: stop(
        'loop',
        `${url.host} is Zest Lamp itself. Give the address of the web server that makes the pages.`,
      ),
    }
  let home: OutsideAnswer
  try {
    home = await askOutside(`${url.origin}/`, {
      fields: { host: url.host, 'accept-encoding': 'br, gzip', accept: 'text/html,*/*' },
      reach,
    })
  } catch (error) {
    if (!(error instanceof OutsideFailure)) throw error
    return { findings: stop(error.isPrivate ? 'private-address' : 'unreachable', error.message) }
  }
  if (home.fields.get('cache-status')?.includes('zest-lamp'))
    return {
      findings: stop(
        'loop',
        `${url.host} is served by Zest Lamp already. Give the address of the web server behind it.`,
      ),
    }
  const location = home.fields.get('location')
  if (home.status >= 300 && home.status < 400 && location !== undefined) {
    const target = URL.canParse(location, url) ? new URL(location, url) : undefined
    if (target?.origin !== url.origin)
      return {
        findings: stop(
          'redirects',
          `This address sends visitors on to ${target?.origin ?? location}. Connect that address instead, if it is yours.`,
          [`${home.status} location: ${location}`],
        ),
      }
  }
  if (home.status >= 400)
    return {
      findings: stop('error-status', `The home page answers with status ${home.status}. Mend that first.`),
    }
  return {
    findings: [
      serverFinding(home),
      compressionFinding(home),
      cachingFinding(home),
      cookieFinding(home),
      acceleratorFinding(home),
    ],
    home,
  }
}

/** What differs from answer to answer without meaning anything. */
const settled = ({ body }: OutsideAnswer): string =>
  body
    .toString('utf8')
    .replace(/\b(?=\w*\d)\w{6,}\b/g, '#')
    .replace(/\s+/g, ' ')

/** Whether phones get other HTML; only then are copies per device worth their room. */
const deviceFinding = async (url: URL, reach: PrivateAddresses): Promise<Finding | undefined> => {
  const ask = (device: DeviceClass): Promise<OutsideAnswer> =>
    askOutside(`${url.origin}/`, {
      fields: { host: url.host, 'accept-encoding': 'gzip', accept: 'text/html,*/*', 'user-agent': USER_AGENT[device] },
      reach,
    }) // prettier-ignore
  try {
    const [first, again, phone] = [await ask('other'), await ask('other'), await ask('phone')]
    if (settled(first) !== settled(again)) return undefined
    return settled(first) === settled(phone)
      ? finding('one-html', 'good', 'Phones and laptops get the same HTML; one copy of a page serves both.')
      : finding(
          'device-html',
          'note',
          'Phones get other HTML than laptops. Switch on “Copies per device” in the page cache before pages are stored.',
        )
  } catch {
    return undefined
  }
}

const titleOf = (home: OutsideAnswer | undefined, url: URL): string => {
  const title = /<title[^>]*>([^<]*)/i.exec(home?.body.toString('utf8', 0, 200_000) ?? '')?.[1]?.trim() ?? ''
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

/**
 * What a site says about itself: does it answer, who sets cookies, what is cached or compressed already, is another accelerator at
 * work, which kinds of pages are there. Asks nothing but the address given.
 * @returns findings of level "stop" when it cannot be connected; never rejects for what the site does
 */
export const checkSite = async (
  address: string,
  own: OwnPorts,
  reach: PrivateAddresses,
): Promise<SiteCheck> => (await lookAtSite(address, own, reach)).check

/** The check, and every page that is known of the site with its kind. */
export const lookAtSite = async (
  address: string,
  own: OwnPorts,
  reach: PrivateAddresses,
): Promise<{ check: SiteCheck; pages: ListedPage[] }> => {
  const url = new URL(address)
  const { findings, home } = await homeFindings(url, own, reach)
  const name = titleOf(home, url)
  const known = { address: url.origin, name, suggestedHosts: suggestedHosts(name, url) }
  if (findings.some(({ level }) => level === 'stop'))
    return { check: { ...known, findings, kinds: [], sample: [] }, pages: [] }
  const found = await findPages(url, home?.body.toString('utf8') ?? '', reach)
  const device = await deviceFinding(url, reach)
  const kinds = pageKinds(found.pages)
  const structures = await lookAtStructures(url, pagesToLookAt(kinds, MOST_LOOKED_AT), reach)
  const check: SiteCheck = {
    ...known,
    findings: [...findings, ...(device === undefined ? [] : [device]), found.finding],
    kinds: kinds.map(({ name: kind, pattern, pages }) => ({ name: kind, pattern, pages: pages.length })),
    sample: chooseSample(kinds, SAMPLE_PAGES, structures),
  }
  return { check, pages: kinds.flatMap(({ name: kind, pages }) => pages.map((page) => ({ ...page, kind }))) }
}
