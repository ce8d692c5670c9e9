import type { CdnFinding, CdnScope } from '../contracts/rented-cdn.ts'

/** One answer, as far as a comparison goes. */
export interface ComparedAnswer {
  readonly status: number
  /** Names in lower case. */
  readonly fields: ReadonlyMap<string, string>
  readonly setsCookies: boolean
  /** Of the decoded body. */
  readonly digest: string
}

/** What was asked of one address, at the CDN and at live. */
export interface CdnObservation {
  readonly path: string
  readonly as: 'text' | 'font' | 'page'
  /** By live itself, with Brotli and gzip accepted. */
  readonly live: ComparedAnswer
  /** By the CDN, the same way, twice with a pause in between. */
  readonly first: ComparedAnswer
  readonly second: ComparedAnswer
  /** By the CDN, to somebody who takes no coding. */
  readonly plain: ComparedAnswer
  /** By the CDN, at the address with a query that nobody has ever asked for. */
  readonly queried: ComparedAnswer
  /** By the CDN, of a page, to a visitor with a session; undefined for files. */
  readonly signedIn?: ComparedAnswer
}

const OWN_STATUS = /^\s*zest-lamp/
const HIT = /;\s*hit\b/

/** What caches beside ours say of themselves (RFC 9211). */
const otherStatuses = ({ fields }: ComparedAnswer): string[] =>
  (fields.get('cache-status') ?? '').split(',').filter((one) => one.trim() !== '' && !OWN_STATUS.test(one))

/** Whether an answer came from a store on the way: it says so, it has aged there, or it is the same message as the one before (RFC 9110 §6.6.1, Date). */
const isStored = (answer: ComparedAnswer, before?: ComparedAnswer): boolean | 'unknown' => {
  const said = otherStatuses(answer)
  if (said.length > 0) return said.some((one) => HIT.test(one))
  if (Number(answer.fields.get('age') ?? 0) > 0 && before !== undefined) return true
  const date = answer.fields.get('date')
  if (before === undefined || date === undefined) return 'unknown'
  return date === before.fields.get('date')
}

const codingOf = ({ fields }: ComparedAnswer): string => fields.get('content-encoding') ?? 'none'
const varies = ({ fields }: ComparedAnswer): string[] =>
  (fields.get('vary') ?? '')
    .toLowerCase()
    .split(',')
    .map((name) => name.trim())
    .filter((name) => name !== '')
const ageOf = ({ fields }: ComparedAnswer): number => Number(fields.get('age') ?? 0)
/** How long a browser keeps it from now on, s (RFC 9111 §4.2.3); undefined: nothing is said. */
const browserLifetime = (answer: ComparedAnswer): number | undefined => {
  const said = /(?:^|[\s,])max-age=(\d+)/.exec(answer.fields.get('cache-control') ?? '')?.[1]
  return said === undefined ? undefined : Number(said) - ageOf(answer)
}
/** Answers that are compared do not come at the same moment, s. */
const APART_S = 10

type Judge = (seen: CdnObservation) => Omit<CdnFinding, 'path' | 'id'>
const asSet = (sentence: string): ReturnType<Judge> => ({ state: 'as-set', sentence, remedy: null })
const differs = (sentence: string, remedy: string): ReturnType<Judge> => ({ state: 'differs', sentence, remedy })
const unknown = (sentence: string, remedy: string): ReturnType<Judge> => ({ state: 'unknown', sentence, remedy })

const content: Judge = ({ first, live }) =>
  first.digest === live.digest
    ? asSet('The content is that of live.')
    : differs(
        'The content is not that of live.',
        'Check that the CDN fetches from live and changes nothing: switch off whatever it rewrites, then purge it.',
      )

/** Whether an answer says that shared caches may keep it (RFC 9111 §4.2.1, RFC 9213). */
const mayBeStored = ({ fields }: ComparedAnswer): boolean =>
  /max-age=[1-9]|s-maxage=[1-9]/.test(`${fields.get('cdn-cache-control') ?? ''} ${fields.get('cache-control') ?? ''}`)

const stored: Judge = ({ first, second, live, as }) => {
  const found = isStored(second, first)
  if (found === 'unknown')
    return unknown(
      'Whether it came from the CDN’s store cannot be told from the response.',
      'Have the CDN send Cache-Status or Age.',
    )
  if (!found && !mayBeStored(live))
    return differs(
      'Live gives it no lifetime, so the CDN asks live for it every time.',
      as === 'page'
        ? 'Set “Pages at a CDN in front” at the remedy Browser cache.'
        : 'Switch on the remedy Browser cache: it gives files a lifetime.',
    )
  return found
    ? asSet('The second request was answered from the CDN’s store.')
    : differs(
        'The second request was passed on to live again.',
        'Have the CDN follow Cache-Control of the origin, and check that no rule there excludes this address.',
      )
}

const cacheStatus: Judge = ({ live, second }) =>
  live.fields.has('cache-status') && !second.fields.has('cache-status')
    ? differs(
        'Cache-Status is removed, so you cannot see in the browser how a response came about.',
        'Have the CDN keep the response header Cache-Status.',
      )
    : asSet('Cache-Status arrives.')

const compression: Judge = ({ live, second }) => {
  const [here, there] = [codingOf(live), codingOf(second)]
  if (here === there)
    return asSet(here === 'none' ? 'Not compressed, as on live.' : `Compressed with ${here}, as on live.`)
  return there === 'none'
    ? differs(
        `Live compresses it with ${here}; the CDN sends it uncompressed.`,
        'Switch on compression at the CDN, or have it pass on Accept-Encoding.',
      )
    : asSet(`Compressed with ${there}; on live with ${here}.`)
}

const lifetime: Judge = ({ live, second }) => {
  const [here, there] = [browserLifetime(live), browserLifetime(second)]
  if (here === undefined && there === undefined) return asSet('No lifetime for browsers, as on live.')
  // Copies age in stores on the way: what is left differs by that, and not by a setting.
  const aged = ageOf(live) + ageOf(second) + APART_S
  if (here !== undefined && there !== undefined && Math.abs(here - there) <= aged)
    return asSet(`Browsers keep it for ${here} s, as set.`)
  return differs(
    `Live lets browsers keep it for ${here ?? 'no'} s; through the CDN it is ${there ?? 'no'} s.`,
    'Have the CDN pass on Cache-Control of the origin as it is.',
  )
}

const vary: Judge = ({ live, second, plain }) => {
  if (codingOf(plain) !== 'none')
    return differs(
      'A browser that takes no compression gets compressed bytes it cannot read.',
      'Have the CDN keep one copy per Accept-Encoding (Vary).',
    )
  const missing = varies(live).filter((name) => !varies(second).includes(name))
  return missing.length === 0
    ? asSet('Vary is as on live.')
    : differs(
        `Vary no longer names ${missing.join(', ')}: caches on the way may mix up copies.`,
        'Have the CDN pass on Vary.',
      )
}

const cookies: Judge = ({ first, second }) => {
  if (second.setsCookies && isStored(second, first) === true)
    return differs(
      'A stored response sets a cookie: every visitor gets the same one.',
      'Have the CDN store nothing that has Set-Cookie. Purge it now.',
    )
  return asSet('No cookie comes from the store.')
}

const query: Judge = ({ first, queried, as }) => {
  if (isStored(queried) !== true && Number(queried.fields.get('age') ?? 0) === 0)
    return asSet('Addresses that differ in their query are stored separately.')
  const files = 'A new version of a file that differs only in its query is not noticed.'
  return differs(
    `Addresses that differ only in their query get the same stored copy. ${as === 'page' ? 'Search results and lists would be mixed up.' : files}`,
    as === 'page' || queried.digest !== first.digest
      ? 'Have the CDN include the query in its cache key.'
      : 'Have the CDN include the query in its cache key, or switch on fingerprinted file names.',
  )
}

const cors: Judge = ({ second, live }) =>
  ['*'].includes(second.fields.get('access-control-allow-origin') ?? '')
    ? asSet('Pages of your site may use this font from the CDN (CORS).')
    : differs(
        'Browsers refuse this font from another host: Access-Control-Allow-Origin is missing.',
        live.fields.has('access-control-allow-origin')
          ? 'Have the CDN pass this header on, then purge it.'
          : 'Switch on “Files from a CDN” in the trial: live then sends the header. Purge the CDN afterwards.',
      )

const privateCopy: Judge = ({ first, signedIn }) =>
  signedIn !== undefined && isStored(signedIn, first) === true
    ? differs(
        'A visitor with a session got a stored copy: pages of one visitor may reach another.',
        'Have the CDN pass requests with your site’s session cookies on to live, then purge it.',
      )
    : asSet('A visitor with a session is passed on to live.')

const JUDGES: Readonly<
  Record<
    Exclude<CdnFinding['id'], 'reachable'>,
    { readonly of: readonly CdnObservation['as'][]; readonly judge: Judge }
  >
> = {
  'same-content': { of: ['text', 'font'], judge: content },
  stored: { of: ['text', 'font', 'page'], judge: stored },
  'cache-status': { of: ['text', 'page'], judge: cacheStatus },
  compression: { of: ['text', 'page'], judge: compression },
  lifetime: { of: ['text', 'font', 'page'], judge: lifetime },
  vary: { of: ['text', 'page'], judge: vary },
  cookies: { of: ['text', 'page'], judge: cookies },
  query: { of: ['text', 'page'], judge: query },
  cors: { of: ['font'], judge: cors },
  private: { of: ['page'], judge: privateCopy },
}

/**
 * What was set, which live's own answers show, compared with what comes through the CDN (RFC 9110, 9111, 9211). One finding for each question and address.
 * @param scope what of the site the CDN serves
 */
export const compareAnswers = (observations: readonly CdnObservation[], scope: CdnScope): CdnFinding[] =>
  observations.flatMap((seen) => {
    const { path, first, live, as } = seen
    if (first.status !== live.status)
      return [
        {
          id: 'reachable' as const,
          state: 'differs' as const,
          path,
          sentence: `The CDN answers with status ${first.status}, live with ${live.status}.`,
          remedy: 'Check that the CDN fetches from the address of live, with the host name of live.',
        },
      ]
    return Object.entries(JUDGES)
      .filter(([id, { of }]) => of.includes(as) && (scope === 'site' || id !== 'private'))
      .map(([id, { judge }]) => ({ id: id as CdnFinding['id'], path, ...judge(seen) }))
  })
