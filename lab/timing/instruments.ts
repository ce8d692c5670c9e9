import type { Browser, CDPSession, Page } from 'playwright-core'
import type { Frame, RequestRecord, RunDetails, UsedFont } from '../../core/contracts/measuring.ts'
import { endOf } from '../../core/measuring/lcp-phases.ts'
import { Coverage } from './coverage.ts'
import { ScriptObserver } from './script-observer.ts'
import { rememberFirstView } from '../snapshot/initial-viewport.ts'
import { FrameLog, progressOf } from './frames.ts'
import { readContents, type PageContents } from '../snapshot/page-contents.ts'
import type { RequestLog } from './request-log.ts'
import { mainThreadTasks, TRACE_CATEGORIES, type TraceEvent } from './trace.ts'

/** CSS Fonts 4 §4.9: text in a face that blocks stays invisible for 3 s at most; "optional" and "fallback" for 100 ms. */
const BLOCK_PERIOD_MS: Record<string, number> = {
  auto: 3000,
  block: 3000,
  swap: 0,
  fallback: 100,
  optional: 100,
}
/** Frames after the page was loaded that still belong to it. */
const AFTERMATH_MS = 500
const MOST_MESSAGES = 50

const usedFonts = (faces: PageContents['faces'], requests: readonly RequestRecord[]): UsedFont[] =>
  faces.map(({ family, display, urls }) => {
    const request = requests.find(({ url, type }) => type === 'font' && urls.includes(url))
    const tookMs = request === undefined ? 0 : endOf(request) - request.startMs
    return {
      family,
      url: request?.url ?? null,
      display,
      blockedMs: Math.min(BLOCK_PERIOD_MS[display] ?? 3000, tookMs),
    }
  })

/** Where in the HTML each address is named, as a share of its length: when the parser can have come across it. */
const offsetsIn = (html: string, requests: readonly RequestRecord[]): Record<string, number> => {
  const offsets: Record<string, number> = {}
  for (const { url } of requests) {
    const { href, pathname, search } = new URL(url)
    const last = pathname.slice(pathname.lastIndexOf('/') + 1)
    const found = [href, pathname + search, last + search, pathname, last]
      .filter((text) => text.length > 1)
      .flatMap((text) => [text, text.replaceAll('&', '&amp;')])
      .map((text) => html.indexOf(text))
      .find((at) => at >= 0)
    if (found !== undefined) offsets[url] = found / Math.max(1, html.length)
  }
  return offsets
}

/** Everything that is looked at only in loads which do not count, because looking takes time. */
export class Instruments {
  readonly #browser: Browser
  readonly #page: Page
  readonly #cdp: CDPSession
  readonly #coverage: Coverage
  readonly #scripts: ScriptObserver
  readonly #frames: FrameLog
  readonly #console: RunDetails['console'] = []
  readonly #log: RequestLog
  #tracing = false

  constructor(browser: Browser, page: Page, cdp: CDPSession, log: RequestLog) {
    this.#log = log
    this.#browser = browser
    this.#page = page
    this.#cdp = cdp
    this.#coverage = new Coverage(cdp)
    this.#scripts = new ScriptObserver(page, cdp)
    this.#frames = new FrameLog(cdp)
  }

  async start(): Promise<void> {
    this.#page.on('console', (message) => {
      const [text, { url }] = [message.text(), message.location()]
      if (message.type() !== 'error' || this.#log.isAboutNone(text, url)) return
      if (this.#console.length < MOST_MESSAGES) this.#console.push({ text: text.slice(0, 500), url: url || null })
    })
    this.#page.on('pageerror', (error) => {
      if (this.#console.length < MOST_MESSAGES) this.#console.push({ text: error.message.slice(0, 500), url: null })
    })
    await this.#page.addInitScript(rememberFirstView)
    await this.#scripts.start()
    await this.#coverage.start()
    await this.#frames.start()
    await this.#browser.startTracing(this.#page, { categories: TRACE_CATEGORIES })
    this.#tracing = true
  }

  /** Nothing may be left running for the next load. */
  async stop(): Promise<void> {
    if (!this.#tracing) return
    this.#tracing = false
    await this.#browser.stopTracing().catch(() => undefined)
  }

  async #html(): Promise<string> {
    const requestId = this.#log.documentRequestId
    if (requestId === undefined) return ''
    const answer = await this.#cdp.send('Network.getResponseBody', { requestId }).catch(() => undefined)
    return answer === undefined ? '' : answer.body
  }

  /**
   * @param slowdown times the visitor's processor is slower
   * @returns what the load showed, its frames, and which requests had to be waited for, by id
   */
  async read(
    loadedMs: number,
    slowdown: number,
  ): Promise<{ details: RunDetails; frames: Frame[]; requests: RequestRecord[] }> {
    this.#tracing = false
    const traced = (await this.#browser.stopTracing()).toString('utf8')
    // Before anything that takes its time: slides move on meanwhile.
    const { images, faces, dom, firstView } = await this.#page.evaluate(readContents)
    const trace = JSON.parse(traced) as { traceEvents: TraceEvent[] }
    const { tasks, blocks } = mainThreadTasks(trace.traceEvents, this.#page.url(), slowdown)
    const frames = await this.#frames.read(this.#log.documentWallTime ?? 0, loadedMs + AFTERMATH_MS)
    const { unused, scripts } = await this.#coverage.read()
    const uses = await this.#scripts.read(scripts)
    const requests = this.#log.records(blocks)
    return {
      details: {
        visual: await progressOf(frames),
        unused,
        scripts: uses,
        images,
        fonts: usedFonts(faces, requests),
        dom,
        console: this.#console,
        tasks,
        offsets: offsetsIn(await this.#html(), requests),
        firstView,
      },
      frames,
      requests,
    }
  }
}
