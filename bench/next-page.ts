import type { Trial } from '../core/contracts/ledger.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { PrefetchSettings } from '../core/contracts/rewriting.ts'
import type { Site } from '../core/contracts/sites.ts'
import { Stack } from '../e2e/stack.ts'
import { finished } from './finished.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_960
const PAIRS = 14
/** Visits by which delivery learns what comes next. */
const LEARNT_FROM = 40

/** Two pages that the home page links to; the first page of the sample is the home page, from which the others are opened, by its links. */
const linkedPages = async (stack: Stack, { sample }: Site): Promise<Site['sample']> => {
  const { body: home } = await stack.visit('/', { accept: 'text/html' })
  return sample
    .filter(({ path }) => path !== '/' && [`href="${path}"`, `href=${path}`].some((link) => home.includes(link)))
    .slice(0, 2)
}

/** Visitors who go from the home page to these pages. */
const teach = async (stack: Stack, pages: Site['sample']): Promise<void> => {
  const referer = `http://orrin.localhost:${stack.basePort + 10}/`
  for (let i = 0; i < LEARNT_FROM; i++) {
    await stack.visit('/', { accept: 'text/html' })
    await stack.visit(pages[i % pages.length]?.path ?? '/', { accept: 'text/html', referer })
  }
}

/**
 * Main content of the next page of a visit as a phone: live with five remedies, to trial with these settings of prefetch besides.
 * @returns the gain, geometric mean of two pages
 */
const gainOf = async (settings: Partial<PrefetchSettings>): Promise<number> => {
  const stack = await Stack.start(PORT)
  try {
    const site = await stack.site()
    const at = (path: string): string => `/sites/${site.id}${path}`
    const { setup, revision } = await stack.api<Trial>('GET', at('/trial'))
    for (const id of ['pageCache', 'compression', 'browserCache', 'minify', 'images'] as const)
      setup.remedies[id].enabled = true
    const trial = await stack.api<Trial>('PUT', at('/trial'), { setup, revision })
    await stack.api('POST', at('/trial/keep'), { revision: trial.revision, note: '' })
    const pages = await linkedPages(stack, site)
    await teach(stack, pages)
    const measure = async (visit: 'first' | 'next', runs: number, visitorIds: string[]): Promise<Measurement> => {
      const pageIds = pages.map(({ id }) => id)
      const sides = visit === 'first' ? ['live'] : ['live', 'trial']
      const order = { sides, pageIds, visitorIds, visit, runs }
      const head = await stack.api<MeasurementHead>('POST', at('/measurements'), order)
      await finished(stack, head.jobId)
      return stack.api<Measurement>('GET', at(`/measurements/${head.id}`))
    }
    // What scripts ask for is known from a close look, on each device.
    await measure(
      'first',
      1,
      site.visitors.map(({ id }) => id),
    )
    const kept = await stack.api<Trial>('GET', at('/trial'))
    kept.setup.remedies.prefetch = { ...kept.setup.remedies.prefetch, enabled: true, when: 'view', ...settings }
    await stack.api('PUT', at('/trial'), { setup: kept.setup, revision: kept.revision })
    const phones = site.visitors.filter(({ device }) => device === 'phone').map(({ id }) => id)
    const { results } = await measure('next', PAIRS, phones)
    const gains = results.map(({ path, sides, verdict }) => {
      const of = (name: string): number => sides.find(({ side }) => side === name)?.medians.lcpMs ?? Number.NaN
      console.log(`${path}: main content ${of('live')} ms without, ${of('trial')} ms with. ${verdict?.sentence}`)
      return of('live') / of('trial')
    })
    return gains.reduce((product, gain) => product * gain, 1) ** (1 / gains.length)
  } finally {
    await stack.stop()
  }
}

/** With pages only fetched ahead. */
export const nextPagePrefetch: Benchmark = {
  names: ['next-page-prefetch-gain'],
  run: async () => [
    { name: 'next-page-prefetch-gain', value: await gainOf({}), unit: 'ratio', aim: 1.2, better: 'higher' },
  ],
}

/** With pages rendered ahead, timed from when they are shown. */
export const nextPagePrerender: Benchmark = {
  names: ['next-page-prerender-gain'],
  run: async () => [
    {
      name: 'next-page-prerender-gain',
      value: await gainOf({ prerender: true }),
      unit: 'ratio',
      aim: 3,
      better: 'higher',
    },
  ],
}
