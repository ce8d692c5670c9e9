import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Job } from '../core/contracts/jobs.ts'
import type { Site } from '../core/contracts/sites.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import { Stack } from '../e2e/stack.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_400
const RUNS = 7

const measureHome = async (stack: Stack, site: Site): Promise<Measurement> => {
  const head = await stack.api<MeasurementHead>('POST', `/sites/${site.id}/measurements`, {
    sides: ['origin', 'live'],
    pageIds: [site.sample[0]!.id],
    visitorIds: ['phone'],
    runs: RUNS,
  })
  for (;;) {
    const job = await stack.api<Job>('GET', `/jobs/${head.jobId}`)
    if (job.state === 'done') return stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${head.id}`)
    if (job.state !== 'queued' && job.state !== 'running') throw new Error(job.error ?? job.state)
    await new Promise((resolve) => setTimeout(resolve, 500))
  }
}

/** The ferry site's home page on the phone visitor: LCP at the origin over LCP live, with every remedy of this version switched on. */
export const ferryHome: Benchmark = {
  names: ['lcp-phone-origin-vs-live'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const site = await stack.site()
      const on = { enabled: true }
      const setup = { remedies: { pageCache: on, compression: on, browserCache: on } }
      const { revision } = await stack.api<Trial>('PUT', `/sites/${site.id}/trial`, { setup })
      await stack.api('POST', `/sites/${site.id}/trial/keep`, { revision })
      const { results } = await measureHome(stack, site)
      const lcp = (side: string): number => results[0]!.sides.find((one) => one.side === side)!.medians.lcpMs!
      console.log(
        `origin ${Math.round(lcp('origin'))} ms, live ${Math.round(lcp('live'))} ms. ${results[0]!.verdict?.sentence ?? ''}`,
      )
      return [
        {
          name: 'lcp-phone-origin-vs-live',
          value: lcp('origin') / lcp('live'),
          unit: 'ratio',
          aim: 1.5,
          better: 'higher',
        },
      ]
    } finally {
      await stack.stop()
    }
  },
}
