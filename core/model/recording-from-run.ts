import type { MainThreadTask, RequestRecord, RunDetails, RunMetrics } from '../contracts/measuring.ts'
import { endOf } from '../measuring/lcp-phases.ts'
import { calibrated } from './calibrate.ts'
import type { Discovery, PageRecording, PredictedVisitor, RecordedResource } from './recording.ts'

/** A run as far as the model needs it. */
export interface RecordedRun {
  readonly metrics: RunMetrics
  readonly requests: readonly RequestRecord[]
  /** null: recorded without the instruments that see the main thread, as in an archive from another browser. */
  readonly details: RunDetails | null
}

const TYPES: Record<string, RecordedResource['type']> = {
  document: 'document',
  style: 'style',
  script: 'script',
  image: 'image',
  font: 'font',
}
/** The model counts upwards: 4 is the most urgent, as 0 is in RFC 9218. */
const MOST_URGENT = 4
/** Where priorities are not known: how browsers commonly rank what they fetch. */
const URGENCY_BY_TYPE: Record<string, number> = {
  document: 4,
  style: 4,
  font: 4,
  script: 3,
  fetch: 3,
}
/** Two paints this near to each other are one. */
const SAME_PAINT_MS = 40

const sum = (values: readonly number[]): number => values.reduce((total, value) => total + value, 0)

const nativeMsOf = (tasks: readonly MainThreadTask[], url: string, kinds: readonly MainThreadTask['kind'][]): number =>
  sum(tasks.filter((task) => task.url === url && kinds.includes(task.kind)).map(({ nativeMs }) => nativeMs))

/** What the server took: the wait less the round trip that the request and the first byte needed. */
const serverMsOf = (record: RequestRecord, visitor: PredictedVisitor): number => {
  const { hostname } = new URL(record.url)
  const roundTrip = visitor.roundTripsByHost?.[hostname] ?? visitor.roundTripMs
  return Math.max(0, record.waitMs - roundTrip)
}

const discoveryOf = (
  record: RequestRecord,
  all: readonly RequestRecord[],
  { details, metrics }: RecordedRun,
  visitor: PredictedVisitor,
): Discovery => {
  const [document] = all
  if (document === undefined || record === document) return { by: 'navigation' }
  const { kind, url } = record.initiator ?? { kind: 'other', url: null }
  const lazy = details?.images.some((image) => image.lazy && image.url === record.url) === true
  if (lazy || (kind === 'style' && record.type !== 'style')) return { by: 'layout' }
  const by = all.findIndex((one) => one.url === url && one.startMs <= record.startMs)
  const parent = all[by]
  if ((kind === 'script' || kind === 'style') && by > 0 && parent !== undefined) {
    const ran = nativeMsOf(details?.tasks ?? [], parent.url, ['script', 'style']) * visitor.cpuSlowdown
    return { by: 'resource', id: by, delayMs: Math.max(0, record.startMs - endOf(parent) - ran) }
  }
  const offset = details?.offsets[record.url]
  if (offset !== undefined && kind !== 'script') return { by: 'parser', offset }
  // Nothing says where: judged by when it was asked for while the HTML came, or by what came after the first paint.
  const came = endOf(document)
  const first = came - document.receiveMs
  if (record.startMs <= came + 30)
    return {
      by: 'parser',
      offset: Math.min(1, Math.max(0, (record.startMs - first) / Math.max(1, came - first))),
    }
  return metrics.fcpMs !== null && record.startMs > metrics.fcpMs
    ? { by: 'layout' }
    : { by: 'resource', id: 0, delayMs: record.startMs - came }
}

const lcpOf = ({ metrics, details }: RecordedRun, all: readonly RequestRecord[]): PageRecording['lcp'] => {
  const { lcpMs, fcpMs, lcpUrl } = metrics
  const image = lcpUrl === null ? -1 : all.findIndex(({ url }) => url === lcpUrl)
  if (image > 0) return { kind: 'image', id: image }
  if (lcpMs === null || fcpMs === null || lcpMs - fcpMs < SAME_PAINT_MS) return { kind: 'first-paint' }
  const [hiding] = (details?.fonts ?? [])
    .filter(({ display, url }) => url !== null && (display === 'auto' || display === 'block'))
    .flatMap(({ url }) => {
      const id = all.findIndex((one) => one.url === url)
      const font = all[id]
      return id > 0 && font !== undefined && endOf(font) <= lcpMs ? [{ id, ended: endOf(font) }] : []
    })
    .sort((a, b) => b.ended - a.ended)
  return hiding === undefined ? { kind: 'later', nativeMs: lcpMs - fcpMs } : { kind: 'font', id: hiding.id }
}

/**
 * Turn a run into what the model works on: sizes, server waits, what names what, and main-thread time, without the link and the
 * device it was recorded with.
 * @param visitor with whom it was recorded
 * @returns undefined without a document that came
 */
export const recordingOf = (run: RecordedRun, visitor: PredictedVisitor): PageRecording | undefined => {
  const answered = run.requests.filter(({ failure, status }) => failure === null || status > 0)
  const documents = answered.filter(({ type, initiator }) => type === 'document' && initiator?.kind === 'navigation')
  const document = documents.at(-1) ?? answered.find(({ type }) => type === 'document') ?? answered[0]
  if (document === undefined) return undefined
  // Redirects before the document are its visitor's, not the page's.
  const all = [document, ...answered.filter((one) => one !== document && !documents.includes(one))]
  /** Pages inside the page: what they wait for holds up them, not the page around them. */
  const frames = new Set(all.filter((one) => one !== document && one.type === 'document').map(({ url }) => url))
  const tasks = run.details?.tasks ?? []
  const fcpMs = run.metrics.fcpMs ?? Number.POSITIVE_INFINITY
  const parsedAt = Math.max(0, ...tasks.filter(({ kind }) => kind === 'parse').map(({ startMs }) => startMs))
  const resources = all.map((record, id): RecordedResource => {
    const { origin, hostname, protocol: scheme } = new URL(record.url)
    const type = TYPES[record.type] ?? 'other'
    const ranAt = tasks.find(({ kind, url }) => kind === 'script' && url === record.url)?.startMs
    return {
      id,
      url: record.url,
      origin,
      hostname,
      secure: scheme === 'https:',
      multiplexed: /^h[23]/.test(record.protocol),
      type,
      sentBytes: record.sentBytes,
      serverMs: serverMsOf(record, visitor),
      discovery: discoveryOf(record, all, run, visitor),
      blocks: frames.has(record.initiator?.url ?? '') ? 'nothing' : record.blocks,
      runs: ranAt !== undefined && ranAt < parsedAt ? 'at-once' : 'after-parsing',
      nativeMs: id === 0 ? 0 : nativeMsOf(tasks, record.url, ['script', 'style']),
      urgency: record.urgency === null ? (URGENCY_BY_TYPE[record.type] ?? 1) : MOST_URGENT - record.urgency,
      cached: record.fromCache,
    }
  })
  const recording: PageRecording = {
    resources,
    parseMs:
      sum(tasks.filter(({ kind }) => kind === 'parse').map(({ nativeMs }) => nativeMs)) +
      nativeMsOf(tasks, document.url, ['script']),
    renderMs: sum(
      tasks
        .filter(
          ({ kind, startMs, url }) =>
            startMs <= fcpMs && (kind === 'layout' || kind === 'paint' || (kind === 'style' && url === null)),
        )
        .map(({ nativeMs }) => nativeMs),
    ),
    lcp: lcpOf(run, all),
  }
  return calibrated(
    recording,
    visitor,
    all.map(({ waitMs }) => waitMs),
  )
}
