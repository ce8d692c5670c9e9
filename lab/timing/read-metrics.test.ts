import { describe, expect, test } from 'vitest'
import type { TabEvents } from '../cdp/cdp-target.ts'
import type { Observed } from './page-observers.ts'
import { readMetrics, type Evaluate } from './read-metrics.ts'
import { RequestLog } from './request-log.ts'

/** When the page's time origin was, and when the browser told of its first request: ms on the wall, here s since 1970. */
const FIRST_REQUEST = 1_000_000

const request = (requestId: string, atMs: number, type: string): [string, object] => [
  'Network.requestWillBeSent',
  {
    requestId,
    type,
    frameId: 'main',
    initiator: { type: 'other' },
    timestamp: 50 + atMs / 1000,
    wallTime: FIRST_REQUEST + atMs / 1000,
    request: { url: `https://orrin-sound.example/${requestId}`, method: 'GET', initialPriority: 'High' },
  },
]
const finished = (requestId: string, atMs: number): [string, object] => [
  'Network.loadingFinished',
  { requestId, timestamp: 50 + atMs / 1000, encodedDataLength: 100 },
]

/** A log that has heard these events. */
const logOf = (events: readonly [string, object][]): RequestLog => {
  const listeners = new Map<string, (event: object) => void>()
  const log = new RequestLog()
  const on = ((name: string, listener: (event: object) => void) => listeners.set(name, listener)) as never
  log.attach({ on } satisfies TabEvents)
  for (const [name, event] of events) listeners.get(name)?.(event)
  return log
}

const OBSERVED = { fcp: null, lcp: null, shifts: [], longTasks: [], cls: 0 } as unknown as Observed

/** The page answers first what it observed, then its times. */
const pageOf = (times: { timeOrigin: number; ttfb: number; shown: number }): Evaluate => {
  const answers: unknown[] = [OBSERVED, times]
  return () => Promise.resolve(answers.shift() as never)
}

describe('the requests of a page that was rendered ahead', () => {
  // The page is shown 500 ms after its origin, which is 315 ms after the first request: the browser was busy before it asked.
  test('are those from when it was shown, however long the browser took to ask for it', async () => {
    const log = logOf([
      request('', 0, 'Document'),
      finished('', 100),
      request('before.js', 200, 'Script'),
      finished('before.js', 210),
      request('after.js', 330, 'Script'),
      finished('after.js', 340),
    ])
    const timeOrigin = FIRST_REQUEST * 1000 - 185
    const metrics = await readMetrics(pageOf({ timeOrigin, ttfb: 190, shown: 500 }), log, 0)
    expect(log.records().map(({ url, startMs }) => [new URL(url).pathname, Math.round(startMs)])).toEqual([
      ['/', 0],
      ['/after.js', 15],
    ])
    expect(metrics.ttfbMs).toBe(0)
    expect(Math.round(metrics.loadedMs)).toBe(25)
  })
})

test('the times of a page behind a redirect count from the first request', async () => {
  const log = logOf([request('', 0, 'Document'), finished('', 400)])
  const timeOrigin = FIRST_REQUEST * 1000 + 200
  expect((await readMetrics(pageOf({ timeOrigin, ttfb: 150, shown: 0 }), log, 0)).ttfbMs).toBe(350)
})
