import type {
  EvidenceItem,
  Finding,
  Findings,
  Limit,
  PredictedGain,
  PredictedTimes,
  RemedyEvidence,
} from '../contracts/findings.ts'
import type { RemedyId, Setup } from '../contracts/setup.ts'
import { criticalBytes } from '../model/critical-bytes.ts'
import { floorMs } from '../model/floor.ts'
import { median } from '../stats/median.ts'
import { simulateLoad } from '../model/page-load.ts'
import { jittered } from '../model/jitter.ts'
import { changed, type WhatIf } from '../model/what-if.ts'
import { REMEDIES } from '../catalogue/remedies.ts'
import { evidenceFor, type LookEvidence } from './evidence.ts'
import { filesOf, type AuditedFile, type AuditedPage } from './audited-page.ts'
import { fieldValue } from '../http/fields.ts'
import { meanGain } from './mean-gain.ts'
import { documentOf } from '../model/recording.ts'

/** Files shown for one remedy, the largest savings first. */
const MOST_ITEMS = 12

/** Leaving out renumbers what is left, so it comes last. */
const inOrder = (changes: readonly WhatIf[]): WhatIf[] => [
  ...changes.filter(({ kind }) => kind !== 'without'),
  ...mergedWithout(changes),
]

/** Several remedies may leave out the same: all together, once. */
const mergedWithout = (changes: readonly WhatIf[]): WhatIf[] => {
  const ids = new Set(changes.flatMap((change) => (change.kind === 'without' ? change.ids : [])))
  return ids.size === 0 ? [] : [{ kind: 'without', ids: [...ids] }]
}

/** Where several make the same file smaller, the shares multiply. */
const combinedSizes = (look: AuditedPage, changes: readonly WhatIf[]): WhatIf[] => {
  const sizes = new Map<number, number>()
  for (const change of changes) {
    if (change.kind !== 'sized') continue
    for (const [id, bytes] of change.sizes) {
      const before = look.recording.resources[id]?.sentBytes ?? bytes
      const now = sizes.get(id) ?? before
      sizes.set(id, bytes > before ? now + (bytes - before) : before === 0 ? 0 : (now * bytes) / before)
    }
  }
  const rest = changes.filter(({ kind }) => kind !== 'sized')
  return sizes.size === 0 ? rest : [{ kind: 'sized', sizes }, ...rest]
}

/** Days over which a prediction is made; see perturbed. */
const DAYS = [0, 1, 2, 3, 4, 5, 6] as const

/** Times of a page after changes, day by day. Waits are those of the day; what a change says of sizes stands. */
const daysOf = (look: AuditedPage, changes: readonly WhatIf[]): PredictedTimes[] => {
  const inTurn = inOrder(combinedSizes(look, changes))
  return DAYS.map((day) => {
    const recording = inTurn.reduce(changed, jittered(look.recording, day))
    const { fcpMs, lcpMs, loadedMs } = simulateLoad(recording, look.predictedFor)
    return { fcpMs, lcpMs, loadedMs }
  })
}

const medianTimes = (times: readonly PredictedTimes[]): PredictedTimes => ({
  fcpMs: median(times.map(({ fcpMs }) => fcpMs)),
  lcpMs: median(times.map(({ lcpMs }) => lcpMs)),
  loadedMs: median(times.map(({ loadedMs }) => loadedMs)),
})

const difference = (a: PredictedTimes, b: PredictedTimes): PredictedTimes => ({
  fcpMs: a.fcpMs - b.fcpMs,
  lcpMs: a.lcpMs - b.lcpMs,
  loadedMs: a.loadedMs - b.loadedMs,
})

interface Judged {
  readonly look: AuditedPage
  /** Day by day, by the model. */
  readonly now: readonly PredictedTimes[]
  /** Measured medians per time of the model: a predicted share of one load is carried over to what was measured. */
  readonly scale: PredictedTimes
  readonly evidence: ReadonlyMap<RemedyId, LookEvidence>
}

/** What was measured to one time of the model; 1 where either says nothing. */
const ratio = (measured: number | null, modelled: number): number =>
  measured === null || modelled <= 0 ? 1 : measured / modelled

const scaleOf = ({ measured }: AuditedPage, modelled: PredictedTimes): PredictedTimes => ({
  fcpMs: ratio(measured.fcpMs, modelled.fcpMs),
  lcpMs: ratio(measured.lcpMs, modelled.lcpMs),
  loadedMs: ratio(measured.loadedMs, modelled.loadedMs),
})

/** Times of the model as they would be measured. */
const scaled = (times: PredictedTimes, { scale }: Judged): PredictedTimes => ({
  fcpMs: times.fcpMs * scale.fcpMs,
  lcpMs: times.lcpMs * scale.lcpMs,
  loadedMs: times.loadedMs * scale.loadedMs,
})

const judge = (look: AuditedPage, setup: Setup): Judged => {
  const now = daysOf(look, [])
  const evidence = new Map(REMEDIES.map(({ id }) => [id, evidenceFor(id, look, setup)]))
  return { look, now, scale: scaleOf(look, medianTimes(now)), evidence }
}

/** Called between predictions, each of which takes some milliseconds: who serves others meanwhile lets them in. */
export type Pause = () => Promise<void>

const gainsOf = async (
  judged: readonly Judged[],
  remedies: readonly RemedyId[],
  pause: Pause,
): Promise<PredictedGain[]> => {
  const gains: PredictedGain[] = []
  for (const one of judged) {
    const { look, now, evidence } = one
    const changes = remedies.flatMap((id) => evidence.get(id)?.changes ?? [])
    if (changes.length === 0) continue
    gains.push({
      pageId: look.pageId,
      visitorId: look.visitor.id,
      gain: scaled(medianTimes(daysOf(look, changes).map((then, day) => difference(now[day]!, then))), one),
    })
    await pause()
  }
  return gains
}

/** The same file on several pages is told of once. */
const itemsOf = (judged: readonly Judged[], id: RemedyId): EvidenceItem[] => {
  const found = new Map<string, EvidenceItem>()
  for (const one of judged.flatMap(({ evidence }) => evidence.get(id)?.items ?? []))
    if ((found.get(one.item)?.savedBytes ?? -1) < one.savedBytes) found.set(one.item, one)
  return [...found.values()].sort((a, b) => b.savedBytes - a.savedBytes || b.bytes - a.bytes)
}

/** 1 KB = 1000 bytes, as everywhere in the interface. */
const kilobytes = (bytes: number): string =>
  bytes < 10_000
    ? `${(bytes / 1000).toFixed(1)} KB`
    : bytes < 1e6
      ? `${Math.round(bytes / 1000)} KB`
      : `${(bytes / 1e6).toFixed(1)} MB`

const countOf = (items: readonly EvidenceItem[]): string => `${items.length} file${items.length === 1 ? '' : 's'}`

/** How much a list of files is, and how much less it could be. */
const amountOf = (items: readonly EvidenceItem[]): string => {
  const less = items.reduce((sum, { savedBytes }) => sum + savedBytes, 0)
  const all = items.reduce((sum, one) => sum + one.bytes, 0)
  return `${countOf(items)}, ${kilobytes(all)}${less > 0 ? `: about ${kilobytes(less)} less` : ''}`
}

const withNote = (items: readonly EvidenceItem[]): string =>
  items.some(({ savedBytes }) => savedBytes > 0) ? amountOf(items) : `${amountOf(items)}: ${items[0]?.note ?? ''}`

/** Why a remedy has nothing to do here, where more can be said than that. */
const NOTHING: Partial<Record<RemedyId, string>> = {
  pageCache: 'The measured pages came from a store, or were built within 50 ms.',
  polling:
    'Requests of open pages were not recorded; this remedy takes load off your server and does not change how fast a page appears.',
  combine: 'Visitors use HTTP/2, or there is little to combine.',
  prefetch: 'The load of a single page cannot show what it gains; measure with “next page of the same visit”.',
  localCopies: 'The measured pages load no script from another host.',
}

/** Files for which the site's own server does what a remedy would, and what that is. */
const SERVER_DOES: Partial<Record<RemedyId, { readonly what: string; readonly does: (file: AuditedFile) => boolean }>> =
  {
    compression: {
      what: 'Your server (origin) compresses already',
      does: ({ own, compressible, compressed }) => own && compressible && compressed,
    },
    browserCache: {
      what: 'Your server (origin) sends a lifetime already',
      does: ({ id, own, fields }) => id > 0 && own && /max-age=[1-9]/.test(fieldValue(fields, 'cache-control') ?? ''),
    },
  }

/** That nobody needs to do it twice; undefined where the server does not do it. */
const doneByServer = (judged: readonly Judged[], id: RemedyId): string | undefined => {
  const done = SERVER_DOES[id]
  if (done === undefined) return undefined
  const origins = judged.filter(({ look }) => look.side === 'origin')
  const files = new Set(origins.flatMap(({ look }) => filesOf(look).filter(done.does)).map(({ item }) => item))
  return files.size === 0 ? undefined : `${done.what}: ${files.size} of the measured files.`
}

const remedyEvidence = async (judged: readonly Judged[], id: RemedyId, pause: Pause): Promise<RemedyEvidence> => {
  const items = itemsOf(judged, id)
  return {
    remedy: id,
    applies: items.length > 0,
    sentence:
      items.length > 0
        ? withNote(items)
        : (doneByServer(judged, id) ?? NOTHING[id] ?? 'Nothing to improve was found on the measured pages.'),
    items: items.slice(0, MOST_ITEMS),
    gains: await gainsOf(judged, [id], pause),
  }
}

/** What slows a page down, and the remedies that answer it. */
const FINDINGS: readonly { id: string; title: string; remedies: readonly RemedyId[] }[] = [
  { id: 'server', title: 'Visitors wait for your server (origin) to build the page', remedies: ['pageCache'] },
  { id: 'uncompressed', title: 'Text is sent uncompressed', remedies: ['compression'] },
  { id: 'pictures', title: 'Pictures are larger than the screen shows', remedies: ['images'] },
  { id: 'below', title: 'Pictures further down slow down what is visible first', remedies: ['lazy'] },
  { id: 'scripts', title: 'The page waits for scripts', remedies: ['scriptOrder'] },
  {
    id: 'styles',
    title: 'Nothing shows until all style sheets have loaded',
    remedies: ['criticalStyles', 'unusedStyles'],
  },
  {
    id: 'late',
    title: 'The main picture is discovered late, or text is hidden until its font loads',
    remedies: ['hints'],
  },
  { id: 'fonts', title: 'Fonts contain more characters than the pages use', remedies: ['fonts'] },
  { id: 'video', title: 'A video player loads before anybody plays the video', remedies: ['stillVideo'] },
  { id: 'others', title: 'The page waits for other hosts', remedies: ['localCopies'] },
  { id: 'wordy', title: 'Styles and scripts contain comments and spacing that only people need', remedies: ['minify'] },
  { id: 'needless', title: 'Scripts are loaded that nothing uses', remedies: ['unusedScripts'] },
  {
    id: 'again',
    title: 'A second visit loads files again',
    remedies: ['browserCache', 'fingerprint'],
  },
]

const findingsOf = async (judged: readonly Judged[], pause: Pause): Promise<Finding[]> => {
  const found: Finding[] = []
  for (const { id, title, remedies } of FINDINGS) {
    const [first] = remedies.flatMap((remedy) => itemsOf(judged, remedy))
    if (first === undefined) continue
    const evidence = `${amountOf(itemsOf(judged, remedies[0]!))}; for example ${first.item}: ${first.note}.`
    found.push({
      id,
      title,
      evidence,
      remedies: [...remedies],
      gains: await gainsOf(judged, remedies, pause),
    })
  }
  return found.sort((a, b) => meanGain(b.gains) - meanGain(a.gains))
}

const ALL: readonly RemedyId[] = REMEDIES.map(({ id }) => id)

/** Main content below this is good by the published threshold (LCP, 75th percentile; from memory). */
const GOOD_LCP_MS = 2500

const limitsOf = (judged: readonly Judged[]): Limit[] => {
  const limits: Limit[] = []
  const slowest = judged.toSorted((a, b) => withAll(b).lcpMs - withAll(a).lcpMs)[0]
  if (slowest === undefined) return limits
  const { look } = slowest
  const left = withAll(slowest).lcpMs
  const critical = criticalBytes(look.requests, look.metrics)
  const { roundTripMs, downBitsPerS } = look.predictedFor
  if (critical !== undefined && left > GOOD_LCP_MS) {
    const floor = floorMs(critical, { roundTripMs, downBitsPerS }, documentOf(look.recording).secure ? 'https' : 'http')
    limits.push({
      title: 'The page is heavy by design',
      sentence: `With every remedy, ${look.path} as “${look.visitor.name}” would still take ${(left / 1000).toFixed(1)} s. The connection alone needs ${(floor / 1000).toFixed(1)} s to load what is visible before scrolling. Only whoever makes the page can reduce that, for example with a smaller main picture.`,
      share: Math.min(1, floor / left),
    })
  }
  const waits = judged.map((one) => documentOf(one.look.recording).serverMs)
  const wait = Math.max(...waits)
  if (wait > 600)
    limits.push({
      title: 'The host is slow',
      sentence: `Your server (origin) takes up to ${(wait / 1000).toFixed(1)} s to build a page. The page cache hides this from most visitors, but signed-in visitors, searches, baskets and the first visitor after a change still wait that long. Ask your host, or check the database.`,
      share: Math.min(1, wait / Math.max(1, nowOf(slowest).lcpMs)),
    })
  return limits
}

/** What rules of the owner's own web server can do (`core/server-rules`), by the remedies that do the same in front of it. */
const RULES: readonly RemedyId[] = ['compression', 'browserCache']
const STORED_PAGES: readonly RemedyId[] = [...RULES, 'pageCache']

const withSome = (one: Judged, remedies: readonly RemedyId[]): PredictedTimes => {
  const changes = remedies.flatMap((id) => one.evidence.get(id)?.changes ?? [])
  return scaled(medianTimes(daysOf(one.look, changes)), one)
}

const withAll = (one: Judged): PredictedTimes => withSome(one, ALL)

const nowOf = (one: Judged): PredictedTimes => scaled(medianTimes(one.now), one)

/** What is slow on the pages that were looked at, and what each remedy would be worth. */
export const findWhatIsSlow = async (
  looks: readonly AuditedPage[],
  setup: Setup,
  pause: Pause = async () => undefined,
): Promise<Findings> => {
  const judged = looks.map((look) => judge(look, setup))
  const remedies: RemedyEvidence[] = []
  // Of pages that nobody has looked at nothing can be said, for a remedy or against it.
  for (const id of judged.length === 0 ? [] : ALL) remedies.push(await remedyEvidence(judged, id, pause))
  return {
    looks: judged.map((one) => ({
      pageId: one.look.pageId,
      path: one.look.path,
      visitorId: one.look.visitor.id,
      at: one.look.at,
      side: one.look.side,
      now: nowOf(one),
      detailedLcpMs: medianTimes(one.now).lcpMs,
      withAll: withAll(one),
      withRules: withSome(one, RULES),
      withStoredPages: withSome(one, STORED_PAGES),
    })),
    findings: await findingsOf(judged, pause),
    remedies,
    limits: limitsOf(judged),
  }
}
