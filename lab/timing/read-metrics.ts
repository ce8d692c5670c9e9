import type { RunMetrics } from '../../core/contracts/measuring.ts'
import { endOf, lcpPhases, ttfbPhases } from '../../core/measuring/lcp-phases.ts'
import { readObserved, type Observed } from './page-observers.ts'
import type { RequestLog } from './request-log.ts'

/** A page counts as fully loaded when nothing has moved on the network for this long. */
const QUIET_MS = 600
const POLL_MS = 50
/** Long Tasks: what lies beyond 50 ms blocks. */
const LONG_TASK_MS = 50

/** Waits until nothing has moved on the network for a while. */
export const waitUntilQuiet = async (log: RequestLog, deadline: number): Promise<'quiet' | 'never'> => {
  while (performance.now() < deadline) {
    const { underWay, quietMs } = log.activity
    if (underWay === 0 && quietMs >= QUIET_MS) return 'quiet'
    await new Promise((resolve) => setTimeout(resolve, POLL_MS))
  }
  return 'never'
}

/**
 * Total blocking time from the first contentful paint until the page has been quiet (common practice; Long Tasks, W3C, has the 50 ms). Tasks after the last request count:
 * that is when a page's scripts run.
 */
const blockingTime = (observed: Observed, shown: number): number =>
  observed.longTasks
    .filter(({ start, duration }) => start + duration > Math.max(observed.fcp ?? 0, shown))
    .reduce((sum, { duration }) => sum + Math.max(0, duration - LONG_TASK_MS), 0)

/** Runs a function in the page; it may use nothing from outside. */
export type Evaluate = <T>(run: () => T | Promise<T>) => Promise<T>

/** The figures of a load whose page is quiet. */
export const readMetrics = async (evaluate: Evaluate, log: RequestLog, consoleErrors: number): Promise<RunMetrics> => {
  const observed = await evaluate(readObserved)
  const { timeOrigin, ttfb, shown } = await evaluate(() => {
    const [navigation] = performance.getEntriesByType('navigation') as (PerformanceNavigationTiming & {
      // Speculation Rules: when a page that was rendered ahead was shown, ms after its time origin.
      activationStart?: number
    })[]
    return {
      timeOrigin: performance.timeOrigin,
      ttfb: navigation?.responseStart ?? 0,
      shown: navigation?.activationStart ?? 0,
    }
  })
  // Times in the page count from its time origin; requests from when the browser told of the first. The origin is later behind redirects, and earlier
  // where the page was rendered ahead: the browser has made ready for it first.
  const apart = timeOrigin - (log.documentWallTime ?? timeOrigin / 1000) * 1000
  if (shown > 0) log.shownAfter(shown + apart)
  const requests = log.records()
  // The visitor of a page that was rendered ahead waits from when it is shown, any other from the first request.
  const waitedBefore = apart < 1 ? 0 : apart
  const at = (time: number): number => Math.max(0, shown > 0 ? time - shown : time + waitedBefore)
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
    tbtMs: blockingTime(observed, shown),
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
