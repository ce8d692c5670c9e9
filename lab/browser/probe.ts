import type { Browser, BrowserContext, Page } from 'playwright-core'
import type { RunMetrics, RunOrder, RunOutcome, VisitorProfile } from '../../core/contracts/measuring.ts'
import { endOf, lcpPhases, ttfbPhases } from '../../core/measuring/phases.ts'
import { Instruments } from './instruments.ts'
import { followJourney } from './journey.ts'
import { readObserved, type Observed } from './page-observers.ts'
import { RequestLog } from './request-log.ts'

/** A page counts as fully loaded when nothing has moved on the network for this long. */
const QUIET_MS = 600
const POLL_MS = 50
/** Long Tasks: what lies beyond 50 ms blocks. */
const LONG_TASK_MS = 50

/** A browser of its own for a visitor: empty, with the visitor's screen, and everything through the link. */
export const contextFor = (
  browser: Browser,
  visitor: VisitorProfile,
  socksPort: number,
): Promise<BrowserContext> =>
  browser.newContext({
    viewport: { width: visitor.width, height: visitor.height },
    deviceScaleFactor: visitor.pixelRatio,
    isMobile: visitor.device === 'phone',
    hasTouch: visitor.device === 'phone',
    locale: 'en-GB',
    proxy: { server: `socks5://127.0.0.1:${socksPort}`, bypass: '<-loopback>' },
    ...(visitor.device === 'phone'
      ? {
          userAgent: `Mozilla/5.0 (Linux; Android 14) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/${browser.version()} Mobile Safari/537.36`,
        }
      : {}),
  })

const waitUntilQuiet = async (page: Page, log: RequestLog, deadline: number): Promise<'quiet' | 'never'> => {
  while (performance.now() < deadline) {
    const { underWay, quietMs } = log.activity
    if (underWay === 0 && quietMs >= QUIET_MS) return 'quiet'
    await page.waitForTimeout(POLL_MS)
  }
  return 'never'
}

/**
 * Total blocking time from the first contentful paint until the page has been quiet (web.dev: TBT). Tasks after the last request count:
 * that is when a page's scripts run.
 */
const blockingTime = (observed: Observed): number =>
  observed.longTasks
    .filter(({ start, duration }) => start + duration > (observed.fcp ?? 0))
    .reduce((sum, { duration }) => sum + Math.max(0, duration - LONG_TASK_MS), 0)

const readMetrics = async (page: Page, log: RequestLog, consoleErrors: number): Promise<RunMetrics> => {
  const observed = await page.evaluate(readObserved)
  const { timeOrigin, ttfb } = await page.evaluate(() => {
    const [navigation] = performance.getEntriesByType('navigation') as PerformanceNavigationTiming[]
    return { timeOrigin: performance.timeOrigin, ttfb: navigation?.responseStart ?? 0 }
  })
  const requests = log.records()
  // Times in the page count from its time origin; requests from when the browser asked. The two differ by redirects only.
  const offset = Math.max(0, timeOrigin - (log.documentWallTime ?? timeOrigin / 1000) * 1000)
  const at = (time: number): number => time + (offset < 1 ? 0 : offset)
  // Answered ones count although their body was never read, as scripts do that only want to tell something.
  const answered = requests.filter(({ failure, status }) => failure === null || status > 0)
  const loadedMs = Math.max(observed.lcp === null ? 0 : at(observed.lcp.at), ...answered.map(endOf))
  const main = {
    ttfbMs: at(ttfb),
    lcpMs: observed.lcp === null ? null : at(observed.lcp.at),
    lcpUrl: observed.lcp?.url ?? null,
  }
  return {
    ...main,
    fcpMs: observed.fcp === null ? null : at(observed.fcp),
    lcpElement: observed.lcp?.element ?? null,
    ttfbPhases: ttfbPhases(requests),
    lcpPhases: lcpPhases(main, requests),
    shifts: observed.shifts.map((shift) => ({ ...shift, atMs: at(shift.atMs) })),
    tbtMs: blockingTime(observed),
    cls: observed.cls,
    loadedMs,
    requests: requests.length,
    sentBytes: requests.reduce((sum, { sentBytes }) => sum + sentBytes, 0),
    decodedBytes: requests.reduce((sum, { decodedBytes }) => sum + decodedBytes, 0),
    failedRequests: requests.filter(
      ({ failure, status }) => (failure !== null && failure !== 'cancelled') || status >= 400,
    ).length,
    consoleErrors,
  }
}

/** Load the page once in a tab of its own. */
const loadOnce = async (context: BrowserContext, order: RunOrder): Promise<RunOutcome> => {
  const page = await context.newPage()
  const all = order.instruments === 'all'
  let instruments: Instruments | undefined
  try {
    const log = new RequestLog()
    const cdp = await context.newCDPSession(page)
    await cdp.send('Network.enable', all ? {} : { maxTotalBufferSize: 0, maxResourceBufferSize: 0 })
    if (order.visitor.cpuSlowdown > 1)
      await cdp.send('Emulation.setCPUThrottlingRate', { rate: order.visitor.cpuSlowdown })
    log.attach(cdp)
    let consoleErrors = 0
    page.on('console', (message) => {
      if (message.type() === 'error' && !log.isAboutNone(message.text(), message.location().url))
        consoleErrors++
    })
    page.on('pageerror', () => consoleErrors++)
    if (all) {
      instruments = new Instruments(context.browser()!, page, cdp, log)
      await instruments.start()
    }
    const deadline = performance.now() + order.timeoutMs
    const response = await page.goto(order.url, { waitUntil: 'load', timeout: order.timeoutMs })
    if (response === null) return { kind: 'failed', why: `${order.url} gave no answer.` }
    if (response.status() >= 400)
      return { kind: 'failed', why: `${order.url} answered with status ${response.status()}.` }
    if ((await waitUntilQuiet(page, log, deadline)) === 'never')
      return {
        kind: 'failed',
        why: `${order.url} never stopped loading within ${Math.round(order.timeoutMs / 1000)} s; something on it keeps asking the server.`,
      }
    const metrics = await readMetrics(page, log, consoleErrors)
    const read = await instruments?.read(metrics.loadedMs, order.visitor.cpuSlowdown)
    return {
      kind: 'measured',
      metrics,
      requests: read?.requests ?? log.records(),
      details: read?.details ?? null,
      frames: read?.frames ?? [],
    }
  } catch (error) {
    return { kind: 'failed', why: failureSentence(order, error as Error) }
  } finally {
    await instruments?.stop()
    await page.close().catch(() => undefined)
  }
}

const failureSentence = (order: RunOrder, error: Error): string => {
  const first = error.message.split('\n')[0]!
  if (/Timeout/i.test(first))
    return `${order.url} did not finish loading within ${Math.round(order.timeoutMs / 1000)} s.`
  if (/ERR_(SOCKS_)?CONNECTION|ERR_EMPTY|ERR_PROXY/.test(first))
    return `${order.url} cannot be reached: the server refused or closed the connection.`
  return `${order.url} could not be loaded: ${first.replace(/^page\.goto: /, '')}`
}

/** What the visitor did before the load that is measured. */
const comeTo = async (context: BrowserContext, order: RunOrder): Promise<RunOutcome | undefined> => {
  if (order.journey !== null) {
    const page = await context.newPage()
    const followed = await followJourney(page, order.journey, new URL(order.url).origin, order.timeoutMs)
    await page.close()
    if (followed.kind === 'stuck') return { kind: 'failed', why: followed.why }
  }
  const before = order.visit === 'return' ? order.url : order.visit === 'next' ? order.previousUrl : null
  if (before === null) return undefined
  const outcome = await loadOnce(context, { ...order, url: before, instruments: 'light' })
  return outcome.kind === 'failed' ? outcome : undefined
}

/**
 * One page load as a visitor: an empty profile, the visitor's device and CPU, all hosts through the simulated link. A return visit
 * loads the page once before, a next page another one, in the same profile; a visitor who is signed in follows the journey first.
 * @param socksPort where the link listens
 */
export const probe = async (browser: Browser, order: RunOrder, socksPort: number): Promise<RunOutcome> => {
  const context = await contextFor(browser, order.visitor, socksPort)
  if (order.cookies.length > 0)
    await context.addCookies(order.cookies.map((cookie) => ({ ...cookie, url: new URL(order.url).origin })))
  try {
    return (await comeTo(context, order)) ?? (await loadOnce(context, order))
  } finally {
    await context.close().catch(() => undefined)
  }
}
