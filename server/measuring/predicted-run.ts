import { promisify } from 'node:util'
import { brotliDecompress, gunzip } from 'node:zlib'
import type { RequestRecord, RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import { fieldValue } from '../../core/http/fields.ts'
import {
  namedInHtml,
  namedInStyle,
  recordingOfFetched,
  type FetchedResource,
  type NamedResource,
} from '../../core/model/recording-from-html.ts'
import { simulateLoad } from '../../core/model/page-load.ts'
import type { PredictedLoad } from '../../core/model/recording.ts'
import { askHop, type HopAnswer } from '../net/hop.ts'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'
import { sentenceForFailure } from '../net/outside-request.ts'

const MOST_RESOURCES = 120
const AT_A_TIME = 4
const TIMEOUT_MS = 15_000
const MOST_DECODED = 32 * 1024 * 1024

/** What may be asked, and where names lead. */
export interface FetchReach {
  readonly privateAddresses: PrivateAddresses
  /** Hosts, with their ports, that belong to the site; others are counted with what is usual, not asked. */
  readonly hosts: ReadonlySet<string>
}

const TYPES: Record<FetchedResource['type'], string> = {
  document: 'document',
  style: 'style',
  script: 'script',
  image: 'image',
  font: 'font',
  other: 'other',
}
/** Size and wait of what belongs to hosts that are not asked (common practice). */
const USUAL = { sentBytes: 20_000, serverMs: 50 }

const textOf = async ({ body, hop }: HopAnswer): Promise<Buffer> => {
  const coding = fieldValue(hop.fields, 'content-encoding')?.toLowerCase()
  const limit = { maxOutputLength: MOST_DECODED }
  if (coding === 'gzip') return promisify(gunzip)(body, limit).catch(() => body)
  return coding === 'br' ? promisify(brotliDecompress)(body, limit).catch(() => body) : body
}

interface Fetched extends FetchedResource {
  readonly text: string
  readonly answer: HopAnswer | undefined
}

/** Through what names lead here: a name of delivery's is asked at its port on this machine, with its own Host. */
const fetchOne = async (named: NamedResource, order: RunOrder, reach: FetchReach): Promise<Fetched> => {
  const url = new URL(named.url)
  const elsewhere = order.connectTo[`${url.hostname}:${url.port}`]
  if (!reach.hosts.has(url.host))
    return {
      ...named,
      ...USUAL,
      decodedBytes: USUAL.sentBytes,
      multiplexed: true,
      text: '',
      answer: undefined,
    }
  const address = elsewhere === undefined ? url.href : `http://${elsewhere}${url.pathname}${url.search}`
  const answer = await askHop(
    address,
    {
      'user-agent': 'zest-lamp',
      accept: '*/*',
      'accept-encoding': 'br, gzip',
      ...(elsewhere === undefined ? {} : { host: url.host }),
    },
    { reach: elsewhere === undefined ? reach.privateAddresses : 'allowed', timeoutMs: TIMEOUT_MS },
  )
  const text = await textOf(answer)
  const fieldBytes = answer.hop.fields.reduce((sum, [name, value]) => sum + name.length + value.length + 4, 20)
  return {
    ...named,
    sentBytes: answer.body.length + fieldBytes,
    decodedBytes: text.length,
    // The way from here to the server, which opening the connection took, is not the server's.
    serverMs: Math.max(0, answer.hop.waitMs - answer.hop.connectMs),
    multiplexed: answer.hop.protocol === 'h2',
    text: named.type === 'document' || named.type === 'style' ? text.toString('utf8') : '',
    answer,
  }
}

const fetchAll = async (
  named: readonly NamedResource[],
  order: RunOrder,
  reach: FetchReach,
): Promise<(Fetched | undefined)[]> => {
  const fetched: (Fetched | undefined)[] = []
  for (let at = 0; at < named.length; at += AT_A_TIME)
    fetched.push(
      ...(await Promise.all(
        named.slice(at, at + AT_A_TIME).map((one) => fetchOne(one, order, reach).catch(() => undefined)),
      )),
    )
  return fetched
}

const recordOf = (
  { url, type, sentBytes, decodedBytes, blocks, answer }: Fetched,
  times: { startMs: number; endMs: number } | undefined,
): RequestRecord => ({
  url,
  method: 'GET',
  type: TYPES[type],
  status: answer?.hop.status ?? 0,
  protocol: answer?.hop.protocol ?? '',
  startMs: times?.startMs ?? 0,
  queuedMs: 0,
  connectMs: 0,
  tlsMs: 0,
  waitMs: 0,
  receiveMs: times === undefined ? 0 : times.endMs - times.startMs,
  sentBytes,
  decodedBytes,
  fromCache: false,
  failure: answer === undefined ? 'not asked: another host' : null,
  responseFields: [...(answer?.hop.fields ?? [])],
  priority: 'auto',
  urgency: null,
  initiator: null,
  blocks,
  connection: null,
})

const outcomeOf = (fetched: readonly Fetched[], load: PredictedLoad): RunOutcome => ({
  kind: 'measured',
  metrics: {
    ttfbMs: load.ttfbMs,
    fcpMs: load.fcpMs,
    lcpMs: load.lcpMs,
    lcpElement: null,
    lcpUrl: null,
    tbtMs: null,
    cls: null,
    loadedMs: load.loadedMs,
    requests: fetched.length,
    sentBytes: fetched.reduce((sum, { sentBytes }) => sum + sentBytes, 0),
    decodedBytes: fetched.reduce((sum, { decodedBytes }) => sum + decodedBytes, 0),
    failedRequests: fetched.filter(({ answer }) => (answer?.hop.status ?? 200) >= 400).length,
    consoleErrors: null,
    ttfbPhases: null,
    lcpPhases: null,
    shifts: [],
  },
  requests: fetched.map((one, id) => recordOf(one, load.requests.get(id))),
  details: null,
  frames: [],
})

/**
 * What a browser would show, from the page and what it names fetched without one, by the load model. What scripts do is not seen.
 * @returns figures that have to be marked as predicted; a failure with its sentence when the page does not answer
 */
export const predictedRun = async (order: RunOrder, reach: FetchReach): Promise<RunOutcome> => {
  const document: NamedResource = {
    url: order.url,
    type: 'document',
    discovery: { by: 'navigation' },
    blocks: 'nothing',
    runs: 'after-parsing',
    urgency: 4,
  }
  let page: Fetched
  try {
    page = await fetchOne(document, order, reach)
  } catch (error) {
    return { kind: 'failed', why: sentenceForFailure(error as Error, new URL(order.url)) }
  }
  const status = page.answer?.hop.status ?? 0
  if (status >= 300) return { kind: 'failed', why: `${order.url} answered with status ${status}.` }
  const named = namedInHtml(page.text, order.url).slice(0, MOST_RESOURCES)
  const fetched: Fetched[] = [page, ...(await fetchAll(named, order, reach)).filter((one) => one !== undefined)]
  const known = new Set(fetched.map(({ url }) => url))
  for (const [id, { type, text, url }] of [...fetched.entries()]) {
    if (type !== 'style' || text === '') continue
    const more = namedInStyle(text, url, id).filter((one) => !known.has(one.url))
    for (const one of await fetchAll(more, order, reach)) if (one !== undefined) fetched.push(one)
    for (const { url: seen } of more) known.add(seen)
  }
  const { visitor } = order
  const load = simulateLoad(recordingOfFetched(fetched), {
    roundTripMs: visitor.roundTripMs,
    roundTripsByHost: order.roundTripsByHost,
    downBitsPerS: visitor.downKbps * 1000,
    upBitsPerS: visitor.upKbps * 1000,
    cpuSlowdown: visitor.cpuSlowdown,
  })
  return outcomeOf(fetched, load)
}
