import type { Job } from '../core/contracts/jobs.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Site } from '../core/contracts/sites.ts'
import { Stack } from '../e2e/stack.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_960
const PAIRS = 14

const finished = async (stack: Stack, jobId: string): Promise<void> => {
  for (;;) {
    const job = await stack.api<Job>('GET', `/jobs/${jobId}`)
    if (job.state === 'done') return
    if (job.state !== 'queued' && job.state !== 'running') throw new Error(job.error ?? job.state)
    await new Promise((resolve) => setTimeout(resolve, 500))
  }
}

/** Main content of the next page of a visit as a phone: without prefetch to with it, everything else alike. */
export const nextPage: Benchmark = {
  names: ['next-page-prefetch-gain'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const [site] = await stack.api<Site[]>('GET', '/sites')
      if (site === undefined) throw new Error('There is no site.')
      const at = (path: string): string => `/sites/${site.id}${path}`
      const { setup, revision } = await stack.api<Trial>('GET', at('/trial'))
      for (const id of ['pageCache', 'compression', 'browserCache', 'minify', 'images'] as const)
        setup.remedies[id].enabled = true
      const trial = await stack.api<Trial>('PUT', at('/trial'), { setup, revision })
      await stack.api('POST', at('/trial/keep'), { revision: trial.revision, note: '' })
      const kept = await stack.api<Trial>('GET', at('/trial'))
      kept.setup.remedies.prefetch = { ...kept.setup.remedies.prefetch, enabled: true, when: 'view' }
      await stack.api('PUT', at('/trial'), { setup: kept.setup, revision: kept.revision })
      // The first page of the sample is the home page, from which the others are opened, by its links.
      const { body: home } = await stack.visit('/', { accept: 'text/html' })
      const pages = site.sample
        .filter(({ path }) => path !== '/' && [`href="${path}"`, `href=${path}`].some((link) => home.includes(link)))
        .slice(0, 2)
      const head = await stack.api<MeasurementHead>('POST', at('/measurements'), {
        sides: ['live', 'trial'],
        pageIds: pages.map(({ id }) => id),
        visitorIds: site.visitors.filter(({ device }) => device === 'phone').map(({ id }) => id),
        visit: 'next',
        runs: PAIRS,
      })
      await finished(stack, head.jobId)
      const { results } = await stack.api<Measurement>('GET', at(`/measurements/${head.id}`))
      const gains = results.map(({ path, sides, verdict }) => {
        const of = (name: string): number => sides.find(({ side }) => side === name)?.medians.lcpMs ?? Number.NaN
        console.log(
          `${path}: main content ${of('live')} ms without, ${of('trial')} ms with prefetch. ${verdict?.sentence}`,
        )
        return of('live') / of('trial')
      })
      const value = gains.reduce((product, gain) => product * gain, 1) ** (1 / gains.length)
      return [{ name: 'next-page-prefetch-gain', value, unit: 'ratio', aim: 1.2, better: 'higher' }]
    } finally {
      await stack.stop()
    }
  },
}
