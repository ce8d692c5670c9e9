import type { PathStep, RequestPath } from '../contracts/store.ts'
import type { PageKind, Setup } from '../contracts/setup.ts'
import { roughlyInWords } from '../catalogue/setting-sentences.ts'
import { cookieNames } from '../cache/cache-bypass.ts'
import { namePatterns, pathPatterns } from '../http/patterns.ts'
import { deltaSeconds, parseDirectives } from '../http/directives.ts'
import { fieldValue, listMembers, type Fields } from '../http/fields.ts'
import { MISSED, NOT_STORED, PASSED, type MissReason, type NotStoredReason, type PassReason } from '../http/reasons.ts'
import { upTo } from '../http/up-to.ts'

/** What was asked, under which setup, and what came back. */
export interface ExplainedExchange {
  /** Path and query. */
  readonly address: string
  readonly host: string
  readonly channel: 'live' | 'trial'
  readonly requestFields: Fields
  readonly setup: Setup
  readonly status: number
  readonly fields: Fields
}

/** Parameters of our own member of Cache-Status (RFC 9211 §2); the last one, since we stand nearest to the visitor. */
export const ownCacheStatus = (fields: Fields): ReadonlyMap<string, string> => {
  const own = listMembers(fieldValue(fields, 'cache-status') ?? '').findLast((member) => /^zest-lamp(;|$)/.test(member))
  return new Map(
    (own ?? '')
      .split(';')
      .slice(1)
      .map((part) => part.trim().split('='))
      .map(([name = '', value = '']) => [name, value]),
  )
}

const step = (title: string, sentence: string, section: string | null = null, evidence: string[] = []): PathStep => ({
  title,
  sentence,
  section,
  evidence,
})

const hostStep = ({ host, channel }: ExplainedExchange): PathStep =>
  step(
    'Host',
    `${host} is ${channel === 'live' ? 'what visitors use' : 'the trial, which no visitor sees'}.`,
    'RFC 9110 §7.2',
    [`host: ${host}`],
  )

const addressStep = ({ address, setup }: ExplainedExchange): PathStep => {
  const ignored = namePatterns(setup.remedies.pageCache.ignoredParameters)
  const query = address.split('?')[1] ?? ''
  const left = query
    .split('&')
    .map((pair) => upTo(pair, '='))
    .filter((name) => name !== '' && ignored(name))
  return left.length === 0
    ? step('Address', 'Stored copies are distinguished by the whole address.', 'RFC 9111 §2')
    : step(
        'Address',
        `${left.join(', ')} ${left.length === 1 ? 'does' : 'do'} not change the page and ${left.length === 1 ? 'is' : 'are'} left out of the cache key.`,
        'RFC 9111 §2',
        left,
      )
}

const pathStep = ({ address, setup }: ExplainedExchange): PathStep => {
  const path = upTo(address, '?')
  const rule = setup.remedies.pageCache.passPaths.find((pattern) => pathPatterns([pattern])(path))
  return rule === undefined
    ? step('Path rules', 'No rule sends this path to your server (origin).')
    : step('Path rules', `${PASSED.path} The rule is ${rule}.`, null, [rule])
}

/** The kind of page that the owner named for an address. */
const kindOf = ({ address, setup }: Pick<ExplainedExchange, 'address' | 'setup'>): PageKind | undefined => {
  const path = upTo(address, '?')
  return setup.remedies.pageCache.kinds.find(({ paths }) => pathPatterns(paths)(path))
}

const kindStep = (exchange: ExplainedExchange): PathStep | undefined => {
  const kind = kindOf(exchange)
  if (kind === undefined) return undefined
  const says = [
    ...(kind.lifetimeS === null
      ? []
      : [`stored for ${roughlyInWords(kind.lifetimeS)} where your server (origin) gives no lifetime`]),
    ...(kind.overrule ? ['stored for signed-out visitors although the origin forbids it'] : []),
    ...(kind.ignoredCookies.length > 0 ? [`shared by visitors with ${kind.ignoredCookies.join(', ')}`] : []),
    ...(kind.sessionCookies.length > 0
      ? [`shared until the session of ${kind.sessionCookies.join(', ')} holds something`]
      : []),
  ]
  return step(
    'Kind of page',
    `This page is of the kind “${kind.name}”${says.length === 0 ? '' : `: ${says.join('; ')}`}.`,
    'RFC 9111 §4.2.2',
    kind.paths,
  )
}

const cookieStep = (exchange: ExplainedExchange): PathStep => {
  const { requestFields, setup } = exchange
  const { visitorCookies, harmlessCookies, authorCookies, signedIn } = setup.remedies.pageCache
  const [visitor, harmless] = [namePatterns(visitorCookies), namePatterns(harmlessCookies)]
  const author = namePatterns(authorCookies)
  const kind = kindOf(exchange)
  const [ignored, session] = [namePatterns(kind?.ignoredCookies ?? []), namePatterns(kind?.sessionCookies ?? [])]
  const names = cookieNames(requestFields)
  if (names.length === 0)
    return step('Cookies', 'The visitor sends no cookies: signed out, with an empty basket.', 'RFC 6265 §5.4')
  const told = names.map((name) =>
    ignored(name)
      ? `${name}: does not change this kind of page`
      : session(name)
        ? `${name}: a session, ignored until it holds something`
        : author(name)
          ? `${name}: this visitor has written a comment`
          : visitor(name)
            ? `${name}: personal`
            : harmless(name)
              ? `${name}: harmless, not sent to your server`
              : `${name}: unknown, so it is treated as personal`,
  )
  const withSession = names.some((name) => session(name) && !ignored(name))
  const shared = names.every(
    (name) => ignored(name) || session(name) || (!author(name) && !visitor(name) && harmless(name)),
  )
  const own =
    signedIn === 'private' && !names.some((name) => author(name))
      ? 'The visitor gets private copies that nobody else gets.'
      : 'The visitor gets pages from your server (origin).'
  return step(
    'Cookies',
    !shared
      ? own
      : withSession
        ? 'A visitor whose session is known to be empty shares stored copies; any other visitor gets pages from your server (origin).'
        : 'No cookie changes the page, so the visitor shares stored copies.',
    'RFC 6265 §5.4',
    told,
  )
}

const ageText = (fields: Fields): string => roughlyInWords(Number(fieldValue(fields, 'age') ?? 0))
const ttlText = (ttl: string | undefined): string => roughlyInWords(Math.abs(Number(ttl ?? 0)))

const storeStep = (exchange: ExplainedExchange, status: ReadonlyMap<string, string>): PathStep => {
  const { fields } = exchange
  const evidence = [`cache-status: ${fieldValue(fields, 'cache-status') ?? ''}`]
  if (status.has('hit')) {
    if (Number(status.get('ttl')) < 0)
      return step(
        'Store',
        `A copy ${ageText(fields)} old outlived its lifetime by ${ttlText(status.get('ttl'))}, but may still be sent (${status.get('detail') ?? 'stale'}).`,
        'RFC 5861',
        evidence,
      )
    return step(
      'Store',
      `A copy ${ageText(fields)} old is fresh for another ${ttlText(status.get('ttl'))}; your server (origin) was not asked.`,
      'RFC 9111 §4.2',
      evidence,
    )
  }
  const fwd = status.get('fwd') ?? ''
  if (status.has('collapsed'))
    return step(
      'Store',
      'Nothing was stored, but another visitor’s request for the same address was under way; its response was shared.',
      'RFC 9211 §2.6',
      evidence,
    )
  if (fwd === 'stale' && status.get('fwd-status') === '304')
    return step(
      'Store',
      'A copy had outlived its lifetime; your server (origin) confirmed that it has not changed.',
      'RFC 9111 §4.3',
      evidence,
    )
  if (fwd in MISSED) return step('Store', MISSED[fwd as MissReason], 'RFC 9111 §4', evidence)
  const why = status.get('detail') as PassReason | undefined
  return step(
    'Store',
    `Not used. ${why !== undefined && why in PASSED ? PASSED[why] : ''}`.trim(),
    'RFC 9211 §2.2',
    evidence,
  )
}

const originStep = (status: ReadonlyMap<string, string>): PathStep | undefined => {
  if (status.has('hit') || status.has('collapsed')) return undefined
  const code = status.get('fwd-status')
  const detail = status.get('detail') ?? ''
  if (code === undefined)
    return step('Origin', `Your server (origin) gave no usable response (${detail.replace('origin-', '')}).`)
  return step('Origin', `Your server (origin) answered with status ${code}.`, 'RFC 9211 §2.3')
}

const storingStep = (status: ReadonlyMap<string, string>): PathStep | undefined => {
  if (status.has('hit') || status.has('collapsed')) return undefined
  if (status.get('fwd') === 'bypass' || status.get('fwd') === 'method') return undefined
  if (status.has('stored'))
    return step('Storing', `The response is stored for ${ttlText(status.get('ttl'))}.`, 'RFC 9111 §3')
  const reason = status.get('detail') as NotStoredReason | undefined
  return step(
    'Storing',
    `Not stored. ${reason !== undefined && reason in NOT_STORED ? NOT_STORED[reason] : ''}`.trim(),
    'RFC 9111 §3',
  )
}

const transportStep = ({ fields }: ExplainedExchange): PathStep => {
  const coding = fieldValue(fields, 'content-encoding')
  const lines = ['content-encoding', 'content-length', 'vary', 'etag']
    .filter((name) => fieldValue(fields, name) !== undefined)
    .map((name) => `${name}: ${fieldValue(fields, name)}`)
  return step(
    'Transport',
    coding === undefined ? 'Sent without compression.' : `Sent as ${coding === 'br' ? 'Brotli' : coding}.`,
    'RFC 9110 §8.4',
    lines,
  )
}

const browserStep = ({ fields }: ExplainedExchange): PathStep => {
  const text = fieldValue(fields, 'cache-control')
  const directives = parseDirectives(text)
  const evidence = text === undefined ? [] : [`cache-control: ${text}`]
  const age = Number(fieldValue(fields, 'age') ?? 0)
  const lifetime = deltaSeconds(directives, 'max-age')
  if (directives.has('no-store')) return step('Browser', 'The browser stores nothing.', 'RFC 9111 §5.2.2.5', evidence)
  if (directives.has('no-cache'))
    return step(
      'Browser',
      'The browser stores it and checks each time whether it has changed.',
      'RFC 9111 §5.2.2.4',
      evidence,
    )
  if (lifetime !== undefined)
    return step(
      'Browser',
      `The browser uses it without asking for ${roughlyInWords(Math.max(0, lifetime - age))}.`,
      'RFC 9111 §5.2.2.1',
      evidence,
    )
  return step(
    'Browser',
    'Nothing tells the browser how long to store it, so it guesses or checks.',
    'RFC 9111 §4.2.2',
    evidence,
  )
}

/** The setting that would change how the request was answered. */
const suggestionFor = (
  { address, requestFields, setup }: ExplainedExchange,
  status: ReadonlyMap<string, string>,
): RequestPath['suggestion'] => {
  switch (status.get('detail')) {
    case 'page-cache-off':
      return { setting: 'pageCache', value: 'on', sentence: 'Switch the page cache on in the trial.' }
    case 'unknown-cookie': {
      const { visitorCookies, harmlessCookies } = setup.remedies.pageCache
      const unknown = cookieNames(requestFields).find(
        (name) => !namePatterns(visitorCookies)(name) && !namePatterns(harmlessCookies)(name),
      )
      return unknown === undefined
        ? null
        : {
            setting: 'harmlessCookies',
            value: unknown,
            sentence: `If "${unknown}" never changes a page, list it among the harmless cookies.`,
          }
    }
    case 'path': {
      const rule = setup.remedies.pageCache.passPaths.find((pattern) => pathPatterns([pattern])(upTo(address, '?')))
      return rule === undefined
        ? null
        : {
            setting: 'passPaths',
            value: rule,
            sentence: 'Remove the rule from the addresses that pass through.',
          }
    }
    case 'no-store':
    case 'private':
    case 'sets-cookie':
      return {
        setting: 'kinds',
        value: upTo(address, '?'),
        sentence:
          'If this page is the same for every signed-out visitor, define a kind of page that is stored anyway. The privacy check must pass before it can be kept.',
      }
    case 'no-lifetime':
      return {
        setting: 'lifetimeS',
        value: '36000',
        sentence: 'Set a lifetime for pages that have none.',
      }
    default:
      return null
  }
}

/** Why an exchange went as it did, step by step in plain words, each with the section of the standard behind it. */
export const explainExchange = (exchange: ExplainedExchange): Pick<RequestPath, 'steps' | 'suggestion'> => {
  const status = ownCacheStatus(exchange.fields)
  const steps = [
    hostStep(exchange),
    addressStep(exchange),
    pathStep(exchange),
    kindStep(exchange),
    cookieStep(exchange),
    storeStep(exchange, status),
    originStep(status),
    storingStep(status),
    transportStep(exchange),
    browserStep(exchange),
  ].filter((one) => one !== undefined)
  return { steps, suggestion: suggestionFor(exchange, status) }
}
