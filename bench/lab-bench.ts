import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Job } from '../core/contracts/jobs.ts'
import { median } from '../core/stats/median.ts'
import { launchBrowser } from '../lab/cdp/launch.ts'
import { Stack } from '../e2e/stack.ts'
import { JUDGES, load } from './model/judge.ts'
import { servePages } from './model/page-server.ts'
import { makeUpPage } from './model/pages.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_600
const SPREAD_LOADS = 15
/** A page of middling weight. */
const FIXED_PAGE = 7

/** How far the loads of a fixed page lie apart on this machine: the middle half of them, as a share of the median. */
export const labSpread: Benchmark = {
  names: ['lab-spread'],
  run: async () => {
    const browser = await launchBrowser()
    const server = await servePages()
    try {
      const url = server.urlOf(makeUpPage(FIXED_PAGE))
      const times: number[] = []
      for (let run = 0; run <= SPREAD_LOADS; run++) {
        const { metrics } = await load(browser, url, JUDGES[0]!)
        if (run > 0) times.push(metrics.lcpMs ?? metrics.loadedMs)
      }
      const sorted = times.toSorted((a, b) => a - b)
      const quarter = Math.floor(sorted.length / 4)
      console.log(`main content ${sorted.map(Math.round).join(' ')} ms`)
      const spread = (100 * (sorted[sorted.length - 1 - quarter]! - sorted[quarter]!)) / median(sorted)
      return [{ name: 'lab-spread', value: spread, unit: '%', aim: 10, better: 'lower' }]
    } finally {
      server.close()
      await browser.close()
    }
  },
}

const finished = async (stack: Stack, jobId: string): Promise<Job> => {
  for (;;) {
    const job = await stack.api<Job>('GET', `/jobs/${jobId}`)
    if (job.state === 'done') return job
    if (job.state !== 'queued' && job.state !== 'running') throw new Error(job.error ?? job.state)
    await new Promise((resolve) => setTimeout(resolve, 500))
  }
}

/** A standard retest: three pages as two visitors, live and trial with the page cache and compression on. */
export const retest: Benchmark = {
  names: ['retest-s'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const site = await stack.site()
      const on = { enabled: true }
      await stack.api('PUT', `/sites/${site.id}/trial`, {
        setup: { remedies: { pageCache: on, compression: on } },
      })
      const begun = performance.now()
      const head = await stack.api<MeasurementHead>('POST', `/sites/${site.id}/measurements`, {
        sides: ['live', 'trial'],
        pageIds: site.sample.slice(0, 3).map(({ id }) => id),
        visitorIds: site.visitors.map(({ id }) => id),
        runs: 14,
      })
      await finished(stack, head.jobId)
      const tookS = (performance.now() - begun) / 1000
      const { runs, results } = await stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${head.id}`)
      const loading = runs.reduce((sum, { metrics }) => sum + (metrics?.loadedMs ?? 0), 0) / 1000
      const of = (purpose: string): number => runs.filter((run) => run.purpose === purpose).length
      console.log(
        `${runs.length} loads: ${of('fill')} fill caches, ${of('count')} count, ${of('look')} look closely; ${Math.round(loading)} s until loaded, ${Math.round(tookS - loading)} s waiting for quiet, opening tabs and writing`,
      )
      for (const { path, visitorName, verdict } of results)
        console.log(
          `${path} as “${visitorName}”: ${verdict?.gains.lcpMs?.pairs} pairs, ${verdict?.ended}. ${verdict?.sentence}`,
        )
      return [{ name: 'retest-s', value: tookS, unit: 's', aim: 600, better: 'lower' }]
    } finally {
      await stack.stop()
    }
  },
}
