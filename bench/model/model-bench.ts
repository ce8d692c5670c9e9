import { writeFile } from 'node:fs/promises'
import { resolve } from 'node:path'
import { median } from '../../core/stats/median.ts'
import { launchBrowser } from '../../lab/cdp/launch.ts'
import type { Benchmark } from '../results/result.ts'
import { errorsOf, judge, JUDGED, rankCorrelation, type Case } from './judge.ts'
import { servePages } from './page-server.ts'
import { scatter } from './scatter.ts'

const PAGES = 24
/** One load is noise; the median of three is what the prediction is held against. */
const LOADS = Number(process.env['ZEST_MODEL_LOADS'] ?? 3)

/** The pages where the model is farthest off, for docs/model.md. */
const worst = (cases: readonly Case[]): string[] =>
  JUDGED.map((name) => {
    const found = cases.toSorted(
      (a, b) => Math.abs(b.predicted[name] / b.measured[name] - 1) - Math.abs(a.predicted[name] / a.measured[name] - 1),
    )[0]!
    return `${name}: farthest off on page ${found.seed} as ${found.visitor}, ${Math.round(found.predicted[name])} ms for ${Math.round(found.measured[name])} ms`
  })

const signed = (cases: readonly Case[]): string[] =>
  [...new Set(cases.map(({ visitor }) => visitor))].map((visitor) => {
    const own = cases.filter((one) => one.visitor === visitor)
    const each = JUDGED.map((name) => {
      const off = median(own.map(({ predicted, measured }) => predicted[name] / measured[name] - 1))
      return `${name} ${(100 * off).toFixed(1)} %`
    })
    return `${visitor}: median error ${each.join(', ')}`
  })

/** The load model against real Chromium: pages recorded once, predicted for visitors they were not recorded with. */
export const modelBench: Benchmark = {
  names: ['model-error-fcp', 'model-error-lcp', 'model-error-loaded', 'model-rank', 'model-ms-per-page'],
  run: async () => {
    const browser = await launchBrowser()
    const server = await servePages()
    try {
      const seeds = Array.from({ length: PAGES }, (_, index) => index + 1)
      const cases = await judge(browser, server, seeds, LOADS, (text) => console.log(text))
      await writeFile(resolve(import.meta.dirname, '../docs/model-scatter.svg'), scatter(cases)).catch(() => undefined)
      for (const line of [...worst(cases), ...signed(cases)]) console.log(line)
      const error = (name: (typeof JUDGED)[number]) => 100 * median(errorsOf(cases, name))
      const ranks = JUDGED.map((name) =>
        rankCorrelation(
          cases.map(({ predicted }) => predicted[name]),
          cases.map(({ measured }) => measured[name]),
        ),
      )
      const figure = (name: string, value: number, unit: string, aim: number, better: 'higher' | 'lower') => ({
        name,
        value,
        unit,
        aim,
        better,
      })
      return [
        figure('model-error-fcp', error('fcpMs'), '%', 15, 'lower'),
        figure('model-error-lcp', error('lcpMs'), '%', 15, 'lower'),
        figure('model-error-loaded', error('loadedMs'), '%', 15, 'lower'),
        figure('model-rank', Math.min(...ranks), 'correlation', 0.9, 'higher'),
        figure('model-ms-per-page', Math.max(...cases.map(({ predictMs }) => predictMs)), 'ms', 20, 'lower'),
      ]
    } finally {
      server.close()
      await browser.close()
    }
  },
}
