import type { z } from 'zod'
import type { PageResult, PageVerdict, SideSummary, VerdictKind } from '../../contracts/measurements.ts'
import type { VisitorProfile } from '../../contracts/measuring.ts'
import { RequestRecord, RunMetrics, RunOrder } from '../../contracts/measuring.ts'
import { DEFAULT_VISITORS } from '../../sampling/default-visitors.ts'

/** For tests: records and figures in which only what matters to the test has to be named. */

export const aRequest = (more: Partial<RequestRecord> = {}): RequestRecord =>
  RequestRecord.parse({
    url: 'http://quay.example/',
    method: 'GET',
    type: 'document',
    status: 200,
    protocol: 'http/1.1',
    startMs: 0,
    queuedMs: 0,
    connectMs: 0,
    waitMs: 0,
    receiveMs: 0,
    sentBytes: 1000,
    decodedBytes: 1000,
    fromCache: false,
    failure: null,
    responseFields: [],
    ...more,
  } satisfies z.input<typeof RequestRecord>)

export const someMetrics = (lcpMs: number, more: Partial<RunMetrics> = {}): RunMetrics =>
  RunMetrics.parse({
    ttfbMs: 100,
    fcpMs: lcpMs / 2,
    lcpMs,
    lcpElement: 'img',
    lcpUrl: null,
    tbtMs: 0,
    cls: 0,
    loadedMs: lcpMs * 2,
    requests: 10,
    sentBytes: 1000,
    decodedBytes: 2000,
    failedRequests: 0,
    consoleErrors: 0,
    ...more,
  } satisfies z.input<typeof RunMetrics>)

export const aVisitor = (more: Partial<VisitorProfile> = {}): VisitorProfile => ({
  ...DEFAULT_VISITORS[1]!,
  ...more,
})

export const aRunOrder = (url: string, more: Partial<RunOrder> = {}): RunOrder =>
  RunOrder.parse({
    id: '1',
    url,
    visitor: aVisitor(),
    visit: 'first',
    timeoutMs: 20_000,
    ...more,
  } satisfies z.input<typeof RunOrder>)

export const aSideSummary = (side: SideSummary['side'], lcpMs: number): SideSummary => ({
  side,
  runs: 6,
  failed: 0,
  failure: null,
  values: { fcpMs: [], lcpMs: [lcpMs], loadedMs: [] },
  lcpPhases: null,
  medians: {
    ttfbMs: 100,
    fcpMs: lcpMs / 2,
    lcpMs,
    tbtMs: 1,
    loadedMs: 5000,
    cls: 0,
    requests: 10,
    sentBytes: 1000,
    failedRequests: 0,
    consoleErrors: 0,
  },
})

/** The home page on the phone, trial against candidate, as it was judged. */
export const aPageResult = (
  kind: VerdictKind,
  verdict: Partial<PageVerdict> = {},
  more: Partial<PageResult> = {},
): PageResult => ({
  pageId: 'home',
  path: '/',
  kind: 'Home',
  visitorId: 'phone',
  visitorName: 'Phone',
  floorMs: null,
  otherVerdicts: [],
  noise: null,
  sides: [aSideSummary('trial', 3000), aSideSummary('candidate', 2000)],
  verdict: {
    from: 'trial',
    to: 'candidate',
    kind,
    sentence: `said ${kind}`,
    why: null,
    gains: {},
    ended: null,
    ...verdict,
  },
  ...more,
})
