import type { CodingSize, QuickCheck, QuickCheckHop, QuickCheckPoint } from '../contracts/quick-check.ts'
import { ownCacheStatus } from '../explain/explain-caching.ts'
import { fieldLines, fieldValue, listMembers, type Fields } from '../http/fields.ts'
import { freshnessLifetime } from '../http/freshness.ts'
import { MISSED, NOT_STORED, PASSED } from '../http/reasons.ts'
import { hasValidator, decideStoring } from '../http/storing.ts'
import { cookieNameOf } from '../http/set-cookie.ts'
import { roughlyInWords } from '../catalogue/setting-sentences.ts'
import { seconds, type EpochMs } from '../time.ts'

/** What the points are made from. */
export type QuickAnswers = Pick<QuickCheck, 'hops' | 'sizes' | 'sentBytes' | 'decodedBytes'>

const ms = (value: number): string => `${Math.round(value)} ms`
const kb = (bytes: number): string =>
  bytes < 1000 ? `${bytes} B` : `${(bytes / 1000).toFixed(bytes < 10_000 ? 1 : 0)} KB`

const point = (topic: QuickCheckPoint['topic'], sentence: string, evidence: string[] = []): QuickCheckPoint => ({
  topic,
  sentence,
  evidence,
})

const shown = (fields: Fields, names: readonly string[]): string[] =>
  names.flatMap((name) => fieldLines(fields, name).map((line) => `${name}: ${line}`))

const answerPoint = (hops: readonly QuickCheckHop[]): QuickCheckPoint => {
  const last = hops.at(-1)!
  const route = hops.map(({ status, url }) => `${status} ${url}`)
  const turns = hops.length - 1
  const after =
    turns === 0
      ? ''
      : `, after ${turns} ${turns === 1 ? 'redirect that every new visitor waits for' : 'redirects that every new visitor waits for'}`
  if (last.status >= 300 && last.status < 400)
    return point(
      'answer',
      `Redirects to ${last.location ?? 'nowhere'}, which was not checked because it is another host.`,
      route,
    )
  const kind = last.status < 400 ? 'Answers' : 'Fails'
  return point('answer', `${kind} with status ${last.status}${after}.`, route)
}

const PROTOCOLS: Record<string, string> = {
  h2: 'HTTP/2: all requests to this host share one connection.',
  'http/1.1': 'HTTP/1.1: browsers load at most six files at a time from this host.',
  'http/1.0': 'HTTP/1.0: every request opens its own connection.',
}

const protocolPoint = ({ protocol, certificate, fields }: QuickCheckHop): QuickCheckPoint => {
  const warned = certificate === null ? '' : ' Browsers warn about its certificate.'
  return point('protocol', `${PROTOCOLS[protocol] ?? protocol}${warned}`, [
    ...(certificate === null ? [] : [`certificate: ${certificate}`]),
    ...shown(fields, ['alt-svc', 'upgrade']),
  ])
}

const waitPoint = ({ lookupMs, connectMs, tlsMs, waitMs }: QuickCheckHop): QuickCheckPoint =>
  point(
    'wait',
    `First byte ${ms(lookupMs + connectMs + tlsMs + waitMs)} after the request; the server and the round trip take ${ms(waitMs)} of that.`,
    [`name ${ms(lookupMs)}, connection ${ms(connectMs)}${tlsMs > 0 ? `, TLS ${ms(tlsMs)}` : ''}, wait ${ms(waitMs)}`],
  )

const best = (sizes: readonly CodingSize[], coding: CodingSize['coding']): CodingSize | undefined =>
  sizes.filter((one) => one.coding === coding).toSorted((a, b) => a.bytes - b.bytes)[0]

const compressionPoint = (fields: Fields, { sizes, sentBytes, decodedBytes }: QuickAnswers): QuickCheckPoint => {
  const coding = fieldValue(fields, 'content-encoding')
  const evidence = shown(fields, ['content-encoding', 'content-type', 'vary'])
  if (sizes === null)
    return point('compression', 'Not text, or already compressed: compression would gain nothing.', evidence)
  const brotli = best(sizes, 'br')?.bytes ?? decodedBytes
  const share = decodedBytes === 0 ? 0 : Math.round(100 * (1 - brotli / decodedBytes))
  if (coding === undefined)
    return point(
      'compression',
      `Sent without compression: ${kb(decodedBytes)}. Brotli would make it ${kb(brotli)}, ${share}% less.`,
      evidence,
    )
  const rest = sentBytes - brotli
  const more = rest > sentBytes * 0.05 ? ` The best Brotli level would save another ${kb(rest)}.` : ''
  return point(
    'compression',
    `Compressed with ${coding}: ${kb(sentBytes)} instead of ${kb(decodedBytes)}.${more}`,
    evidence,
  )
}

const cachingPoint = (hop: QuickCheckHop, at: EpochMs): QuickCheckPoint => {
  const { fields, status } = hop
  const evidence = shown(fields, ['cache-control', 'cdn-cache-control', 'expires', 'pragma', 'age', 'vary', 'date'])
  const response = { status, fields, responseTime: at }
  const nobody = { pages: seconds(0), api: seconds(0), files: seconds(0) }
  const storing = decideStoring({ method: 'GET', fields: [] }, response, nobody)
  if (storing.kind === 'not-stored' && storing.reason !== 'no-lifetime')
    return point('caching', `Shared caches may not store it. ${NOT_STORED[storing.reason]}`, evidence)
  const { lifetime, source } = freshnessLifetime(response, nobody)
  if (source === 'none')
    return point('caching', 'Does not say how long it may be stored, so every cache has to guess.', evidence)
  if (lifetime === 0) return point('caching', 'May be stored, but must be checked again every time.', evidence)
  const guess = source === 'heuristic' ? ' This is a guess from its Last-Modified date.' : ''
  return point('caching', `Every cache may store it for ${roughlyInWords(lifetime)}.${guess}`, evidence)
}

const validatorPoint = (fields: Fields): QuickCheckPoint => {
  const evidence = shown(fields, ['etag', 'last-modified'])
  return hasValidator(fields)
    ? point(
        'validators',
        'Can be checked without sending it again if it has not changed (ETag or Last-Modified).',
        evidence,
      )
    : point('validators', 'Has no ETag and no Last-Modified: every check sends all of it again.', evidence)
}

const cookiePoint = (fields: Fields): QuickCheckPoint => {
  const lines = fieldLines(fields, 'set-cookie')
  if (lines.length === 0) return point('cookies', 'Sets no cookie.')
  // Values may be secret; names and attributes say what matters.
  const named = lines.map((line) => line.replace(/^([^=]*)=[^;]*/, '$1=…'))
  return point(
    'cookies',
    `Sets ${lines.map(cookieNameOf).join(', ')}; responses that set a cookie are not stored for other visitors.`,
    named,
  )
}

const storePoint = (fields: Fields): QuickCheckPoint => {
  const own = ownCacheStatus(fields)
  const evidence = shown(fields, ['cache-status', 'age'])
  if (own.size === 0) return point('store', 'Does not come through Zest Lamp.', evidence)
  if (own.has('hit'))
    return point(
      'store',
      `From the store of Zest Lamp${own.has('ttl') ? `, fresh for another ${own.get('ttl')} s` : ''}.`,
      evidence,
    )
  const forwarded = own.get('fwd') ?? ''
  const detail = own.get('detail') ?? ''
  const why = { ...MISSED, ...PASSED, ...NOT_STORED } as Record<string, string>
  const reason = why[detail] ?? why[forwarded] ?? ''
  return point(
    'store',
    `From your server (origin)${own.has('stored') ? ', and now stored' : ''}. ${reason}`.trim(),
    evidence,
  )
}

/** Fields that intermediaries leave behind: Via and Age are standard, the others common practice. */
const TRACES = [
  'via',
  'x-cache',
  'x-cache-status',
  'x-cache-hits',
  'x-served-by',
  'x-proxy-cache',
  'server',
  'server-timing',
  'alt-svc',
]

const intermediaryPoint = (fields: Fields): QuickCheckPoint => {
  const others = listMembers(fieldValue(fields, 'cache-status') ?? '').filter(
    (member) => !/^zest-lamp(;|$)/.test(member),
  )
  const evidence = [...shown(fields, TRACES), ...others.map((member) => `cache-status: ${member}`)]
  const traces = evidence.filter((line) => !/^(server|server-timing|alt-svc):/.test(line))
  return traces.length === 0
    ? point('intermediaries', 'No other cache or accelerator was found.', evidence)
    : point('intermediaries', 'There is another cache or accelerator between the visitor and the web server.', evidence)
}

/** What a single answer says, in plain words, in the order in which one asks. @param at when it came */
export const quickPoints = (answers: QuickAnswers, at: EpochMs): QuickCheckPoint[] => {
  const last = answers.hops.at(-1)
  if (last === undefined) return []
  return [
    answerPoint(answers.hops),
    protocolPoint(last),
    waitPoint(last),
    compressionPoint(last.fields, answers),
    cachingPoint(last, at),
    validatorPoint(last.fields),
    cookiePoint(last.fields),
    storePoint(last.fields),
    intermediaryPoint(last.fields),
  ]
}
