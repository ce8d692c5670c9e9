import type { Browser } from 'playwright-core'
import type { RunOutcome, VisitorProfile } from '../../core/contracts/measuring.ts'
import { recordingOf } from '../../core/model/recording-from-run.ts'
import { simulateLoad } from '../../core/model/page-load.ts'
import type { PageRecording, PredictedLoad, PredictedVisitor } from '../../core/model/recording.ts'
import { aRunOrder, aVisitor } from '../../core/measuring/testing/made-up.ts'
import { median } from '../../core/stats/median.ts'
import { probe } from '../../lab/timing/probe.ts'
import { LinkRelay } from '../../lab/link/link-relay.ts'
import { makeUpPage } from './pages.ts'
import type { PageServer } from './page-server.ts'

export const JUDGED = ['fcpMs', 'lcpMs', 'loadedMs'] as const
export type Judged = (typeof JUDGED)[number]

/** One page as one visitor: what was predicted and what Chromium did, ms. */
export interface Case {
  readonly seed: number
  readonly visitor: string
  readonly predicted: Record<Judged, number>
  readonly measured: Record<Judged, number>
  readonly predictMs: number
}

/** With whom pages are recorded; none of those they are judged with. */
const RECORDER = aVisitor({
  id: 'recorder',
  name: 'Recorder',
  roundTripMs: 20,
  downKbps: 30_000,
  upKbps: 10_000,
})

export const JUDGES: readonly VisitorProfile[] = [
  aVisitor({ id: 'laptop', name: 'Laptop, home line', roundTripMs: 28, downKbps: 40_000, upKbps: 10_000 }),
  aVisitor({ id: 'far', name: 'Laptop, far away', roundTripMs: 180, downKbps: 20_000, upKbps: 5000 }),
  aVisitor({
    id: 'phone',
    name: 'Phone, mobile network',
    roundTripMs: 70,
    downKbps: 9000,
    upKbps: 3000,
    cpuSlowdown: 4,
  }),
  aVisitor({
    id: 'poor',
    name: 'Phone, poor link',
    roundTripMs: 150,
    downKbps: 1600,
    upKbps: 768,
    cpuSlowdown: 4,
  }),
]

export const predictedVisitor = (visitor: VisitorProfile): PredictedVisitor => ({
  roundTripMs: visitor.roundTripMs,
  downBitsPerS: visitor.downKbps * 1000,
  upBitsPerS: visitor.upKbps * 1000,
  cpuSlowdown: visitor.cpuSlowdown,
})

type Measured = Extract<RunOutcome, { kind: 'measured' }>

export const load = async (
  browser: Browser,
  url: string,
  visitor: VisitorProfile,
  instruments: 'light' | 'all' = 'light',
): Promise<Measured> => {
  const relay = new LinkRelay({ ...visitor, privateAddresses: 'allowed' })
  const outcome = await probe(
    browser,
    aRunOrder(url, { visitor, instruments, timeoutMs: 60_000 }),
    await relay.listen(),
  )
  await relay.close()
  if (outcome.kind === 'failed') throw new Error(outcome.why)
  return outcome
}

export const record = async (browser: Browser, url: string): Promise<PageRecording> => {
  await load(browser, url, RECORDER)
  const recording = recordingOf(await load(browser, url, RECORDER, 'all'), predictedVisitor(RECORDER))
  if (recording === undefined) throw new Error(`${url} has no document.`)
  return recording
}

const timesOf = ({ fcpMs, lcpMs, loadedMs }: PredictedLoad | Measured['metrics']): Record<Judged, number> => ({
  fcpMs: fcpMs ?? Number.NaN,
  lcpMs: lcpMs ?? Number.NaN,
  loadedMs,
})

/**
 * Record pages once, predict them for visitors they were not recorded with, and let Chromium load them as those.
 * @param loads per page and visitor; their median counts
 */
export const judge = async (
  browser: Browser,
  server: PageServer,
  seeds: readonly number[],
  loads: number,
  tell: (text: string) => void = () => undefined,
): Promise<Case[]> => {
  const cases: Case[] = []
  for (const seed of seeds) {
    const url = server.urlOf(makeUpPage(seed))
    const recording = await record(browser, url)
    for (const visitor of JUDGES) {
      const startedAt = performance.now()
      const predicted = timesOf(simulateLoad(recording, predictedVisitor(visitor)))
      const predictMs = performance.now() - startedAt
      const runs: Record<Judged, number>[] = []
      for (let run = 0; run < loads; run++) runs.push(timesOf((await load(browser, url, visitor)).metrics))
      const measured = Object.fromEntries(JUDGED.map((name) => [name, median(runs.map((run) => run[name]))]))
      cases.push({
        seed,
        visitor: visitor.id,
        predicted,
        measured: measured as Record<Judged, number>,
        predictMs,
      })
    }
    tell(`page ${seed} of ${seeds.length}`)
  }
  return cases
}

/** Ranks from 1; equal values share the middle of theirs. */
const ranks = (values: readonly number[]): number[] =>
  values.map((value) => {
    const below = values.filter((other) => other < value).length
    return below + (values.filter((other) => other === value).length + 1) / 2
  })

/** Spearman's rank correlation. */
export const rankCorrelation = (a: readonly number[], b: readonly number[]): number => {
  const [x, y] = [ranks(a), ranks(b)]
  const mean = (a.length + 1) / 2
  const product = (p: readonly number[], q: readonly number[]): number =>
    p.reduce((sum, value, index) => sum + (value - mean) * (q[index]! - mean), 0)
  return product(x, y) / Math.sqrt(product(x, x) * product(y, y))
}

export const errorsOf = (cases: readonly Case[], name: Judged): number[] =>
  cases.map(({ predicted, measured }) => Math.abs(predicted[name] - measured[name]) / measured[name])
