import { SteppedScheduler } from './transport/scheduler.ts'
import { MainThread } from './main-thread.ts'
import { Network } from './network.ts'
import type { PageRecording, PredictedLoad, PredictedRequest, PredictedVisitor, RecordedResource } from './recording.ts'

/** Median error of predicted paints in the last `npm run bench` (docs/model.md): what a reader is told beside a prediction. */
export const MODEL_ERROR_PERCENT = 9

/** From the visitor's wish to the request on its way, and from bytes in the browser to the page's thread (measured, Chromium 156). */
const START_MS = 4
const HANDOVER_MS = 2
/** From the first byte until the new page is ready to parse it: main-thread time, ms on the machine it was measured on. */
const COMMIT_MS = 25
/** From then until its first requests are on their way. */
const FIRST_REQUESTS_MS = 18
/** Frames come 60 times a second; on average a change waits half of that, and one frame more until it is shown. */
const FRAME_MS = 16.7

/**
 * One page load in stepped time. The parser goes on as HTML comes and stops at scripts that it has to wait for; a scanner ahead of
 * it finds what the HTML names as soon as the bytes are there; nothing is drawn before everything that blocks rendering has come
 * and been carried out. (WHATWG HTML §8.2.3 fetching and blocking; §4.12.1 defer and async.)
 */
class PageLoad {
  readonly #time = new SteppedScheduler()
  readonly #recording: PageRecording
  readonly #network: Network
  readonly #thread: MainThread
  readonly #requests = new Map<number, { -readonly [part in keyof PredictedRequest]: number }>()
  readonly #begun = new Set<number>()
  readonly #carriedOut = new Set<number>()
  readonly #afterResource = new Map<number, RecordedResource[]>()
  /** What the parser names, in the order of the HTML. */
  readonly #named: RecordedResource[]
  /** Of those, scripts that it waits for. */
  readonly #stops: { readonly resource: RecordedResource; readonly offset: number }[]
  /** The body begins after the last thing in the head that is waited for. */
  readonly #headEnd: number
  #scannedTo = 0
  #htmlShare = 0
  #parsedTo = 0
  #parsing = false
  #parsedAt: number | undefined
  #laidOut = false
  #ttfbMs = 0
  #committed = false
  #fcpMs: number | undefined

  constructor(recording: PageRecording, visitor: PredictedVisitor) {
    this.#recording = recording
    this.#network = new Network(this.#time, visitor)
    this.#thread = new MainThread(this.#time, visitor.cpuSlowdown)
    const offsetOf = ({ discovery }: RecordedResource): number => (discovery.by === 'parser' ? discovery.offset : 0)
    this.#named = recording.resources
      .filter(({ discovery }) => discovery.by === 'parser')
      .toSorted((a, b) => offsetOf(a) - offsetOf(b))
    this.#stops = this.#named
      .filter(({ type, blocks }) => type === 'script' && blocks !== 'nothing')
      .map((resource) => ({ resource, offset: offsetOf(resource) }))
    this.#headEnd = Math.max(0, ...this.#named.filter(({ blocks }) => blocks === 'rendering').map(offsetOf))
    for (const resource of recording.resources) {
      const { discovery } = resource
      if (discovery.by !== 'resource') continue
      this.#afterResource.set(discovery.id, [...(this.#afterResource.get(discovery.id) ?? []), resource])
    }
  }

  run(): PredictedLoad {
    const [document] = this.#recording.resources
    if (document !== undefined) this.#time.at(START_MS, () => this.#fetch(document))
    const endMs = this.#time.run()
    const fcpMs = this.#fcpMs ?? endMs
    const lcpMs = this.#lcp(fcpMs)
    const loadedMs = Math.max(lcpMs, ...[...this.#requests.values()].map((request) => request.endMs))
    return { ttfbMs: this.#ttfbMs, fcpMs, lcpMs, loadedMs, requests: this.#requests }
  }

  #fetch(resource: RecordedResource): void {
    if (this.#requests.has(resource.id)) return
    const now = this.#time.now()
    const request = { startMs: now, sentMs: now, firstByteMs: Number.NaN, endMs: Number.NaN }
    this.#requests.set(resource.id, request)
    const arrived = (): void => {
      request.endMs = this.#time.now()
      this.#time.at(request.endMs + HANDOVER_MS, () => this.#came(resource))
    }
    if (resource.cached) return arrived()
    const isDocument = resource.type === 'document' && resource.discovery.by === 'navigation'
    this.#network.fetch(resource, {
      onSent: () => (request.sentMs = this.#time.now()),
      onBytes: (share) => {
        if (Number.isNaN(request.firstByteMs)) request.firstByteMs = this.#time.now()
        if (isDocument) this.#htmlCame(share)
      },
      onEnd: arrived,
    })
  }

  #htmlCame(share: number): void {
    const first = this.#ttfbMs === 0
    if (first) this.#ttfbMs = this.#time.now()
    this.#htmlShare = share
    if (first) this.#thread.run(COMMIT_MS, () => this.#commit())
    else if (this.#committed) this.#time.at(this.#time.now() + HANDOVER_MS, () => this.#goOn())
  }

  #commit(): void {
    this.#committed = true
    this.#time.at(this.#time.now() + FIRST_REQUESTS_MS, () => this.#scan())
    this.#parse()
  }

  #goOn(): void {
    this.#scan()
    this.#parse()
  }

  #scan(): void {
    for (; this.#scannedTo < this.#named.length; this.#scannedTo++) {
      const resource = this.#named[this.#scannedTo]!
      if (resource.discovery.by === 'parser' && resource.discovery.offset > this.#htmlShare) return
      this.#fetch(resource)
    }
  }

  /** Go on with the HTML that has come, up to the next script that has to be waited for. */
  #parse(): void {
    if (!this.#committed || this.#parsing || this.#parsedAt !== undefined) return
    const stop = this.#stops.find(({ resource }) => !this.#carriedOut.has(resource.id))
    const until = Math.min(this.#htmlShare, stop?.offset ?? 1)
    if (until <= this.#parsedTo && until < 1) return
    this.#parsing = true
    this.#thread.run((until - this.#parsedTo) * this.#recording.parseMs, () => {
      this.#parsing = false
      this.#parsedTo = until
      if (this.#parsedTo > this.#headEnd) this.#network.bodyReached()
      this.#tryToDraw()
      const waiting = this.#stops.find(({ resource }) => !this.#carriedOut.has(resource.id))
      if (until >= 1 && (waiting === undefined || waiting.offset >= 1)) this.#parsed()
      else {
        this.#runWaitingScript()
        this.#parse()
      }
    })
  }

  #parsed(): void {
    this.#parsedAt = this.#time.now()
    for (const resource of this.#recording.resources)
      if (resource.type === 'script' && resource.runs === 'after-parsing') this.#maybeRun(resource)
  }

  #came(resource: RecordedResource): void {
    if (resource.discovery.by === 'navigation') {
      this.#askForWhatFollows(resource)
      return this.#parse()
    }
    if (resource.type === 'script' && resource.discovery.by === 'parser' && resource.blocks !== 'nothing')
      return this.#runWaitingScript()
    if (resource.type === 'script' && resource.runs === 'after-parsing') return this.#maybeRun(resource)
    this.#carryOut(resource)
  }

  #isHere(resource: RecordedResource): boolean {
    const request = this.#requests.get(resource.id)
    return request !== undefined && this.#time.now() >= request.endMs + HANDOVER_MS
  }

  #maybeRun(resource: RecordedResource): void {
    if (this.#parsedAt !== undefined && this.#isHere(resource)) this.#carryOut(resource)
  }

  /** The script the parser stands at: it has to have come, and every style sheet named before it too. */
  #runWaitingScript(): void {
    const stop = this.#stops.find(({ resource }) => !this.#carriedOut.has(resource.id))
    if (stop === undefined || this.#parsedTo < Math.min(stop.offset, 1) || !this.#isHere(stop.resource)) return
    const styles = this.#named.filter(
      ({ type, blocks, discovery }) =>
        type === 'style' && blocks !== 'nothing' && discovery.by === 'parser' && discovery.offset < stop.offset,
    )
    if (styles.every(({ id }) => this.#carriedOut.has(id))) this.#carryOut(stop.resource)
  }

  /** Whatever comes may ask for it; it is carried out, and takes the thread's time, once. */
  #carryOut(resource: RecordedResource): void {
    if (this.#begun.has(resource.id)) return
    this.#begun.add(resource.id)
    this.#thread.run(resource.nativeMs, () => {
      this.#carriedOut.add(resource.id)
      this.#askForWhatFollows(resource)
      this.#runWaitingScript()
      this.#parse()
      this.#tryToDraw()
    })
  }

  #askForWhatFollows({ id }: RecordedResource): void {
    for (const next of this.#afterResource.get(id) ?? [])
      if (next.discovery.by === 'resource')
        this.#time.at(this.#time.now() + next.discovery.delayMs, () => this.#fetch(next))
  }

  #tryToDraw(): void {
    if (this.#laidOut || this.#parsedTo <= 0) return
    const blockers = this.#recording.resources.filter(({ blocks }) => blocks === 'rendering')
    if (!blockers.every(({ id }) => this.#carriedOut.has(id))) return
    if (this.#parsedTo <= this.#headEnd && this.#parsedTo < 1) return
    this.#laidOut = true
    this.#thread.run(this.#recording.renderMs, () => {
      this.#fcpMs = this.#time.now() + FRAME_MS
      for (const resource of this.#recording.resources) if (resource.discovery.by === 'layout') this.#fetch(resource)
    })
  }

  #lcp(fcpMs: number): number {
    const { lcp } = this.#recording
    if (lcp.kind === 'first-paint') return fcpMs
    if (lcp.kind === 'later') return fcpMs + lcp.nativeMs
    const endMs = this.#requests.get(lcp.id)?.endMs ?? fcpMs
    return Math.max(fcpMs, endMs + HANDOVER_MS + FRAME_MS)
  }
}

/**
 * Predict a page load for a visitor, from a recording of another.
 * @throws RangeError for a recording whose load never ends
 */
export const simulateLoad = (recording: PageRecording, visitor: PredictedVisitor): PredictedLoad =>
  new PageLoad(recording, visitor).run()
