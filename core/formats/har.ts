import { z } from 'zod'
import type { RequestRecord, RunMetrics } from '../contracts/measuring.ts'
import { endOf } from '../measuring/lcp-phases.ts'

/** Entries of an archive that are read; a page with more is not one load. */
const MOST_ENTRIES = 5000

const Pair = z.object({ name: z.string(), value: z.string() })
const time = z.number().nullish()

/**
 * HTTP Archive 1.2 as far as it is read. Lenient where programs that write archives commonly are: what is missing or negative
 * counts as unknown. Fields that begin with "_" are extensions of those programs (§3, custom fields).
 */
export const HarFile = z.object({
  log: z.object({
    creator: z.object({ name: z.string(), version: z.string().default('') }).optional(),
    pages: z
      .array(
        z.object({
          id: z.string(),
          title: z.string().default(''),
          startedDateTime: z.string(),
          pageTimings: z.object({ onContentLoad: time, onLoad: time }).loose().default({}),
        }),
      )
      .default([]),
    entries: z
      .array(
        z.object({
          pageref: z.string().optional(),
          startedDateTime: z.string(),
          time: z.number().catch(0),
          request: z.object({ method: z.string(), url: z.string(), httpVersion: z.string().default('') }),
          response: z.object({
            status: z.int().catch(0),
            httpVersion: z.string().default(''),
            headers: z.array(Pair.loose()).default([]),
            content: z.object({ size: time, mimeType: z.string().nullish() }).default({}),
            headersSize: time,
            bodySize: time,
            _transferSize: time,
            _error: z.string().nullish(),
          }),
          timings: z
            .object({
              blocked: time,
              dns: time,
              connect: time,
              ssl: time,
              send: time,
              wait: time,
              receive: time,
            })
            .default({}),
          connection: z.string().optional(),
          _zestDestination: z.string().optional(),
          _zestPriority: z.enum(['high', 'auto', 'low']).optional().catch(undefined),
          _zestUrgency: z.int().min(0).max(7).optional().catch(undefined),
          _resourceType: z.string().optional(),
          _initiator: z.object({ type: z.string().optional(), url: z.string().optional() }).loose().optional(),
          _fromCache: z.string().optional(),
        }),
      )
      .min(1, 'The archive holds no requests.')
      .max(MOST_ENTRIES, `The archive holds more than ${MOST_ENTRIES} requests; export one page load.`),
  }),
})
export type HarFile = z.infer<typeof HarFile>
type HarEntry = HarFile['log']['entries'][number]

const TYPES_BY_NAME: Record<string, string> = {
  document: 'document',
  stylesheet: 'style',
  style: 'style',
  script: 'script',
  image: 'image',
  font: 'font',
  media: 'video',
  video: 'video',
  xhr: 'fetch',
  fetch: 'fetch',
}

const typeOf = ({ _zestDestination, _resourceType, response }: HarEntry): string => {
  const named = TYPES_BY_NAME[(_zestDestination ?? _resourceType)?.toLowerCase() ?? '']
  if (named !== undefined) return named
  const mime = response.content.mimeType?.split(';')[0]?.trim().toLowerCase() ?? ''
  if (mime === 'text/html' || mime === 'application/xhtml+xml') return 'document'
  if (mime === 'text/css') return 'style'
  if (/javascript|ecmascript/.test(mime)) return 'script'
  if (mime.startsWith('image/')) return 'image'
  if (mime.startsWith('font/') || mime.includes('font')) return 'font'
  if (/^(audio|video)\//.test(mime)) return 'video'
  return 'other'
}

const known = (value: number | null | undefined): number => (typeof value === 'number' && value > 0 ? value : 0)

const INITIATORS: Record<string, 'parser' | 'script' | 'preload'> = {
  parser: 'parser',
  script: 'script',
  preload: 'preload',
}

const recordOf = (entry: HarEntry, startedAt: number, isFirst: boolean): RequestRecord => {
  const { request, response, timings } = entry
  const tlsMs = known(timings.ssl)
  const headers = response.headers.map(({ name, value }): [string, string] => [name.toLowerCase(), value])
  const sent = response._transferSize ?? known(response.headersSize) + known(response.bodySize)
  const fromCache = entry._fromCache !== undefined
  const kind = INITIATORS[entry._initiator?.type ?? '']
  return {
    url: request.url,
    method: request.method,
    type: typeOf(entry),
    status: Math.max(0, response.status),
    protocol: (response.httpVersion || request.httpVersion)
      .toLowerCase()
      .replace(/^http\/2.*$/, 'h2')
      .replace(/^http\/3.*$/, 'h3'),
    startMs: Math.max(0, Date.parse(entry.startedDateTime) - startedAt),
    queuedMs: known(timings.blocked),
    // §4.2.16: "ssl" is part of "connect".
    connectMs: known(timings.dns) + Math.max(0, known(timings.connect) - tlsMs),
    tlsMs,
    waitMs: known(timings.send) + known(timings.wait),
    receiveMs: known(timings.receive),
    sentBytes: fromCache ? 0 : Math.round(Math.max(0, sent)),
    decodedBytes: Math.round(known(response.content.size)),
    fromCache,
    failure: response.status > 0 ? null : (response._error ?? 'no answer'),
    responseFields: headers,
    priority: entry._zestPriority ?? 'auto',
    urgency: entry._zestUrgency ?? null,
    initiator: isFirst
      ? { kind: 'navigation', url: null }
      : kind === undefined
        ? null
        : { kind, url: entry._initiator?.url ?? null },
    blocks: 'nothing',
    connection: entry.connection !== undefined && /^\d+$/.test(entry.connection) ? Number(entry.connection) : null,
  }
}

/** One page load out of an archive. */
export interface HarLoad {
  readonly title: string
  readonly url: string
  /** What wrote the archive. */
  readonly creator: string
  readonly startedAt: Date
  readonly requests: readonly RequestRecord[]
  readonly metrics: RunMetrics
}

/**
 * The first page load of an archive. What archives do not hold (paints, shifts, blocking) is null.
 * @throws RangeError with a sentence when no request has a usable time or address
 */
export const fromHar = ({ log }: HarFile): HarLoad => {
  const [page] = log.pages
  const own = log.entries
    .filter(({ pageref }) => page === undefined || pageref === undefined || pageref === page.id)
    .filter(
      ({ request, startedDateTime }) =>
        /^https?:/.test(request.url) && URL.canParse(request.url) && !Number.isNaN(Date.parse(startedDateTime)),
    )
    .toSorted((a, b) => Date.parse(a.startedDateTime) - Date.parse(b.startedDateTime))
  const [first] = own
  if (first === undefined) throw new RangeError('No request of the archive has a time and an http address.')
  const begun = Math.min(
    Date.parse(first.startedDateTime),
    page === undefined || Number.isNaN(Date.parse(page.startedDateTime))
      ? Number.POSITIVE_INFINITY
      : Date.parse(page.startedDateTime),
  )
  const requests = own.map((entry, index) => recordOf(entry, begun, index === 0))
  const document =
    requests.find(({ type, status }) => type === 'document' && (status < 300 || status >= 400)) ?? requests[0]!
  const answered = requests.filter(({ failure }) => failure === null)
  return {
    title: page?.title ?? '',
    url: document.url,
    creator: [log.creator?.name, log.creator?.version].filter(Boolean).join(' '),
    startedAt: new Date(begun),
    requests,
    metrics: {
      ttfbMs: endOf(document) - document.receiveMs,
      fcpMs: null,
      lcpMs: null,
      lcpElement: null,
      lcpUrl: null,
      tbtMs: null,
      cls: null,
      loadedMs: Math.max(0, ...answered.map(endOf)),
      requests: requests.length,
      sentBytes: requests.reduce((sum, { sentBytes }) => sum + sentBytes, 0),
      decodedBytes: requests.reduce((sum, { decodedBytes }) => sum + decodedBytes, 0),
      failedRequests: requests.filter(({ failure, status }) => failure !== null || status >= 400).length,
      consoleErrors: null,
      ttfbPhases: null,
      lcpPhases: null,
      shifts: [],
    },
  }
}

/** A run as an archive describes it. */
export interface ArchivedRun {
  readonly id: string
  readonly title: string
  readonly at: Date
  readonly metrics: RunMetrics
  readonly requests: readonly RequestRecord[]
}

const HTTP_VERSIONS: Record<string, string> = {
  h2: 'HTTP/2',
  h3: 'HTTP/3',
  'http/1.1': 'HTTP/1.1',
  'http/1.0': 'HTTP/1.0',
}

const entryOf = (record: RequestRecord, pageref: string, startedAt: number) => {
  const url = new URL(record.url)
  const httpVersion = HTTP_VERSIONS[record.protocol] ?? record.protocol.toUpperCase()
  const find = (name: string): string => record.responseFields.find(([field]) => field === name)?.[1] ?? ''
  return {
    pageref,
    startedDateTime: new Date(startedAt + record.startMs).toISOString(),
    time: endOf(record) - record.startMs,
    request: {
      method: record.method,
      url: record.url,
      httpVersion,
      cookies: [],
      headers: [],
      queryString: [...url.searchParams].map(([name, value]) => ({ name, value })),
      headersSize: -1,
      bodySize: -1,
    },
    response: {
      status: record.status,
      statusText: '',
      httpVersion,
      cookies: [],
      headers: record.responseFields.map(([name, value]) => ({ name, value })),
      content: { size: record.decodedBytes, mimeType: find('content-type') },
      redirectURL: find('location'),
      headersSize: -1,
      bodySize: record.fromCache ? 0 : record.sentBytes,
      ...(record.failure === null ? {} : { _error: record.failure }),
      _transferSize: record.sentBytes,
    },
    cache: {},
    timings: {
      blocked: record.queuedMs,
      dns: -1,
      connect: record.connectMs + record.tlsMs > 0 ? record.connectMs + record.tlsMs : -1,
      ssl: record.tlsMs > 0 ? record.tlsMs : -1,
      send: 0,
      wait: record.waitMs,
      receive: record.receiveMs,
    },
    ...(record.connection === null ? {} : { connection: String(record.connection) }),
    _zestDestination: record.type,
    _zestPriority: record.priority,
    ...(record.urgency === null ? {} : { _zestUrgency: record.urgency }),
    ...(record.initiator === null
      ? {}
      : { _initiator: { type: record.initiator.kind, url: record.initiator.url ?? undefined } }),
    ...(record.fromCache ? { _fromCache: 'disk' } : {}),
  }
}

/** A run as HTTP Archive 1.2. Times that were taken together (name and connection) stand under "connect". @param version of this program */
export const toHar = (run: ArchivedRun, version: string) => ({
  log: {
    version: '1.2',
    creator: { name: 'Zest Lamp', version },
    pages: [
      {
        id: run.id,
        title: run.title,
        startedDateTime: run.at.toISOString(),
        pageTimings: {
          onContentLoad: -1,
          onLoad: run.metrics.loadedMs,
          _zestFirstContentfulPaint: run.metrics.fcpMs ?? -1,
          _zestLargestContentfulPaint: run.metrics.lcpMs ?? -1,
        },
      },
    ],
    entries: run.requests.map((record) => entryOf(record, run.id, run.at.getTime())),
  },
})
