import { destinationOf, priorityOf } from './fetch-words.ts'
import type { RequestRecord } from '../../core/contracts/measuring.ts'
import { endOf } from '../../core/measuring/lcp-phases.ts'
import type { TabEvents } from '../cdp/cdp-target.ts'

type Timing = {
  requestTime: number
  dnsStart: number
  connectStart: number
  connectEnd: number
  sslStart: number
  sslEnd: number
  sendStart: number
  sendEnd: number
  receiveHeadersEnd: number
}

interface Open {
  id: string
  frameId: string | undefined
  priority: RequestRecord['priority']
  urgency: RequestRecord['urgency']
  initiator: RequestRecord['initiator']
  connection: number | null
  url: string
  method: string
  type: string
  startedAt: number
  status: number
  protocol: string
  timing: Timing | undefined
  fromCache: boolean
  fields: [string, string][]
  decodedBytes: number
  endedAt: number | undefined
  sentBytes: number
  failure: string | null
}

/** Fields worth keeping of each response: what explains caching and compression. */
const KEPT_FIELDS = new Set([
  'age',
  'cache-control',
  'cache-status',
  'content-encoding',
  'content-length',
  'content-type',
  'date',
  'etag',
  'expires',
  'last-modified',
  'location',
  'server',
  'server-timing',
  'vary',
  'via',
])

/** Server-sent events (WHATWG HTML §9.2): an answer that is not meant to end. */
const isEventStream = ({ status, fields }: Pick<Open, 'status' | 'fields'>): boolean =>
  status === 200 && fields.some(([name, value]) => name === 'content-type' && /^\s*text\/event-stream\b/i.test(value))

/** Collects every request of one page through the browser's own network events. */
export class RequestLog {
  readonly #requests = new Map<string, Open>()
  #documentStart: { monotonic: number; wall: number } | undefined
  #documentId: string | undefined
  #mainFrameId: string | undefined
  #lastActivity = 0
  #settledRedirects = 0
  #shownMs = 0

  attach(cdp: TabEvents): void {
    cdp.on('Network.requestWillBeSent', (event) => {
      // The browser's own request for the site's icon: no visitor waits for it, and it does not come every time.
      if (event.type === 'Other' && event.initiator.type === 'other') return
      this.#touch()
      if (event.request.url.startsWith('data:') || event.request.url.startsWith('blob:')) return
      if (event.type === 'Document') this.#documentStart ??= { monotonic: event.timestamp, wall: event.wallTime }
      const before = this.#requests.get(event.requestId)
      if (before !== undefined && event.redirectResponse !== undefined) {
        this.#answered(before, event.redirectResponse)
        before.endedAt = event.timestamp
        before.sentBytes = event.redirectResponse.encodedDataLength
        this.#requests.set(`${event.requestId} redirect ${this.#settledRedirects++}`, before)
      }
      this.#requests.set(event.requestId, {
        id: event.requestId,
        frameId: event.frameId,
        ...priorityOf(event.request.initialPriority),
        initiator: this.#initiatorOf(event),
        connection: null,
        url: event.request.url,
        method: event.request.method,
        type: destinationOf(event.type),
        startedAt: event.timestamp,
        status: 0,
        protocol: '',
        timing: undefined,
        fromCache: false,
        fields: [],
        decodedBytes: 0,
        endedAt: undefined,
        sentBytes: 0,
        failure: null,
      })
    })
    cdp.on('Network.requestServedFromCache', ({ requestId }) => {
      const request = this.#requests.get(requestId)
      if (request !== undefined) request.fromCache = true
    })
    cdp.on('Network.responseReceived', ({ requestId, response, timestamp }) => {
      this.#touch()
      const request = this.#requests.get(requestId)
      if (request === undefined) return
      this.#answered(request, response)
      // A stream of events is there once it is open; what it tells later is no part of the load.
      if (isEventStream(request)) request.endedAt = timestamp
    })
    cdp.on('Network.dataReceived', ({ requestId, dataLength }) => {
      const request = this.#requests.get(requestId)
      if (request !== undefined && isEventStream(request)) return
      this.#touch()
      if (request !== undefined) request.decodedBytes += dataLength
    })
    cdp.on('Network.loadingFinished', ({ requestId, timestamp, encodedDataLength }) => {
      const request = this.#requests.get(requestId)
      if (request !== undefined && isEventStream(request)) return
      this.#touch()
      if (request === undefined) return
      request.endedAt = timestamp
      request.sentBytes = request.fromCache ? 0 : encodedDataLength
    })
    cdp.on('Network.loadingFailed', ({ requestId, timestamp, errorText, canceled }) => {
      const request = this.#requests.get(requestId)
      if (request !== undefined && isEventStream(request)) return
      this.#touch()
      if (request === undefined) return
      request.endedAt = timestamp
      request.failure = canceled === true ? 'cancelled' : errorText
    })
  }

  #initiatorOf(event: {
    requestId: string
    frameId?: string
    type?: string
    initiator: { type: string; url?: string; stack?: { callFrames: { url: string }[] } }
  }): RequestRecord['initiator'] {
    const { type, url, stack } = event.initiator
    if (event.type === 'Document' && (this.#documentId ?? event.requestId) === event.requestId) {
      this.#documentId = event.requestId
      this.#mainFrameId = event.frameId
      return { kind: 'navigation', url: null }
    }
    // Frames without an address are those of what watches the page.
    const by = url ?? stack?.callFrames.find((frame) => frame.url !== '')?.url ?? null
    if (type === 'parser') {
      // What a style sheet names comes from the parser too, but of that style sheet.
      const styled = [...this.#requests.values()].some((one) => one.type === 'style' && one.url === by)
      return { kind: styled ? 'style' : 'parser', url: by }
    }
    if (type === 'script' || type === 'preload') return { kind: type, url: by }
    return { kind: 'other', url: by }
  }

  #answered(
    request: Open,
    response: {
      status: number
      protocol?: string
      connectionId?: number
      timing?: Timing
      fromDiskCache?: boolean
      headers: Record<string, string>
    },
  ): void {
    request.status = response.status
    request.protocol = response.protocol ?? ''
    request.connection = response.connectionId === undefined ? null : response.connectionId
    request.timing = response.timing
    if (response.fromDiskCache === true) request.fromCache = true
    request.fields = Object.entries(response.headers)
      .map(([name, value]): [string, string] => [name.toLowerCase(), value])
      .filter(([name]) => KEPT_FIELDS.has(name))
  }

  #touch(): void {
    this.#lastActivity = performance.now()
  }

  /** Requests under way, and ms since the last sign of any. */
  get activity(): { underWay: number; quietMs: number } {
    let underWay = 0
    for (const request of this.#requests.values()) if (request.endedAt === undefined) underWay++
    return { underWay, quietMs: performance.now() - this.#lastActivity }
  }

  /**
   * Whether a console message is about a request of the browser's own, which is not in this log: the site's icon that is not there. Which load of a
   * browser asks for it is chance.
   */
  isAboutNone(text: string, url: string): boolean {
    return /^Failed to load resource/.test(text) && ![...this.#requests.values()].some((one) => one.url === url)
  }

  /** Wall time of the request for the page itself, seconds since 1970; undefined when none was made. */
  get documentWallTime(): number | undefined {
    return this.#documentStart?.wall
  }

  /** Status of the answer the page came with, after redirects; undefined when none came. */
  get documentStatus(): number | undefined {
    const status = this.#documentId === undefined ? 0 : (this.#requests.get(this.#documentId)?.status ?? 0)
    return status > 0 ? status : undefined
  }

  /** Address the page came from, after redirects; undefined when none came. */
  get documentUrl(): string | undefined {
    return this.#documentId === undefined ? undefined : this.#requests.get(this.#documentId)?.url
  }

  /** Under which the browser still has the page's own text. */
  get documentRequestId(): string | undefined {
    return this.#documentId
  }

  /** The page was rendered ahead. @param ms when it was shown, from its first request; what was over by then is no part of its load */
  shownAfter(ms: number): void {
    this.#shownMs = ms
  }

  /**
   * @param blocks what had to wait for which request, by its id, where that was traced
   */
  records(blocks: ReadonlyMap<string, 'rendering' | 'parsing'> = new Map()): RequestRecord[] {
    const start = this.#documentStart?.monotonic ?? 0
    const records = [...this.#requests.values()]
      .sort((a, b) => a.startedAt - b.startedAt)
      .map((request) =>
        // What blocks a frame within the page blocks nothing of the page.
        toRecord(
          request,
          start,
          request.frameId === this.#mainFrameId ? (blocks.get(request.id) ?? 'nothing') : 'nothing',
        ),
      )
    const shownMs = this.#shownMs
    return shownMs === 0 ? records : records.flatMap((record) => fromShown(record, shownMs))
  }
}

/** A request of a page that was rendered ahead, in the time of its visitor: from when the page was shown. */
const fromShown = (record: RequestRecord, shownMs: number): RequestRecord[] => {
  const endMs = endOf(record)
  if (record.startMs >= shownMs) return [{ ...record, startMs: record.startMs - shownMs }]
  if (endMs <= shownMs && record.type !== 'document') return []
  const rest = { startMs: 0, queuedMs: 0, connectMs: 0, tlsMs: 0, waitMs: 0, receiveMs: Math.max(0, endMs - shownMs) }
  return [{ ...record, ...rest, ...(endMs <= shownMs ? { fromCache: true, sentBytes: 0 } : {}) }]
}

const toRecord = (request: Open, start: number, blocks: RequestRecord['blocks']): RequestRecord => {
  const { timing, endedAt } = request
  const startMs = Math.max(0, (request.startedAt - start) * 1000)
  const endMs = endedAt === undefined ? startMs : (endedAt - start) * 1000
  const base = timing === undefined ? startMs : (timing.requestTime - start) * 1000
  const network = timing !== undefined && !request.fromCache
  const opening = network && timing.connectStart >= 0
  const tlsMs = opening && timing.sslStart >= 0 ? timing.sslEnd - timing.sslStart : 0
  const connectMs = opening
    ? timing.connectEnd - Math.max(0, timing.dnsStart >= 0 ? timing.dnsStart : timing.connectStart) - tlsMs
    : 0
  const sendAt = network ? base + timing.sendStart : startMs
  const firstByteAt = network ? base + timing.receiveHeadersEnd : endMs
  return {
    url: request.url,
    method: request.method,
    type: request.type,
    status: request.status,
    protocol: request.protocol,
    startMs,
    queuedMs: Math.max(0, sendAt - startMs - connectMs - tlsMs),
    connectMs: Math.max(0, connectMs),
    tlsMs,
    waitMs: Math.max(0, firstByteAt - sendAt),
    receiveMs: Math.max(0, endMs - firstByteAt),
    sentBytes: Math.max(0, Math.round(request.sentBytes)),
    decodedBytes: Math.max(0, Math.round(request.decodedBytes)),
    fromCache: request.fromCache,
    failure: request.failure,
    responseFields: request.fields,
    priority: request.priority,
    urgency: request.urgency,
    initiator: request.initiator,
    blocks,
    connection: request.connection,
  }
}
