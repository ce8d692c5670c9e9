import { execFileSync } from 'node:child_process'
import { join } from 'node:path'
import type { Job } from '../core/contracts/jobs.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { ObjectsPassword } from '../core/contracts/objects.ts'
import type { Site } from '../core/contracts/sites.ts'
import { objectsWorth } from '../core/objects/worth.ts'
import { Stack } from '../e2e/stack.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_480
const SIGN_IN = [
  { do: 'open', path: '/sign-in' },
  { do: 'type', target: 'input[name=name]', text: 'rider' },
  { do: 'type', target: 'input[name=password]', text: 'season' },
  { do: 'click', target: 'main form button' },
]

/** What the site's database was asked for a page, and what the page is made of. */
const queriesOf = async (address: string, cookie: string): Promise<[asked: number, made: number]> => {
  const response = await fetch(address, { headers: { cookie } })
  await response.text()
  const [, asked, made] = /"(\d+) of (\d+)"/.exec(response.headers.get('server-timing') ?? '') ?? []
  return [Number(asked), Number(made)]
}

const signedIn = async (address: string): Promise<string> => {
  const body = new URLSearchParams({ name: 'rider', password: 'season' })
  const response = await fetch(`${address}/sign-in`, { method: 'POST', body, redirect: 'manual' })
  return response.headers.getSetCookie()[0]?.split(';')[0] ?? ''
}

/** Most queries of any page of the sample, signed in and signed out, once each was built. */
const mostQueries = async ({ address, sample }: Site): Promise<number> => {
  let most = 0
  for (const cookie of ['', await signedIn(address)])
    for (const path of [...sample.map((page) => page.path), '/account']) {
      // The first connects, the second fills what is not there yet.
      for (let round = 0; round < 3; round++) await queriesOf(address + path, cookie)
      const [asked, made] = await queriesOf(address + path, cookie)
      console.log(`${path}${cookie === '' ? '' : ' signed in'}: ${asked} of ${made} queries`)
      most = Math.max(most, asked)
    }
  return most
}

const measured = async (stack: Stack, site: Site): Promise<Measurement> => {
  const head = await stack.api<MeasurementHead>('POST', `/sites/${site.id}/objects/measurements`, {
    pageIds: [site.sample[0]?.id],
    visitorIds: ['rider'],
    runs: 10,
    readsMayMiss: true,
  })
  for (;;) {
    const job = await stack.api<Job>('GET', `/jobs/${head.jobId}`)
    if (job.state === 'done') return stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${head.id}`)
    if (job.state !== 'queued' && job.state !== 'running') throw new Error(job.error ?? job.state)
    await new Promise((resolve) => setTimeout(resolve, 500))
  }
}

/** The ferry site with its object cache: queries of its pages, and the first byte of its home page for who is signed in, every read a miss against answering. */
export const objectsWorthBench: Benchmark = {
  names: ['objects-queries-per-page', 'objects-signed-in-ttfb-gain'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const site = await stack.site()
      await stack.api('PUT', `/sites/${site.id}/objects`, { enabled: true })
      const { url } = await stack.api<ObjectsPassword>('POST', `/sites/${site.id}/objects/password`)
      execFileSync(process.execPath, [join(import.meta.dirname, 'site.mjs'), 'object-cache', 'on', url], {
        env: { ...process.env, ZEST_DATA_DIR: stack.dataDir },
      })
      const queries = await mostQueries(site)
      await stack.api('PUT', `/sites/${site.id}/journeys`, [{ id: 'season', name: 'Season ticket', steps: SIGN_IN }])
      const laptop = site.visitors.find(({ device }) => device === 'laptop')
      const rider = { ...laptop, id: 'rider', name: 'Rider', journeyId: 'season' }
      await stack.api('PUT', `/sites/${site.id}/visitors`, [...site.visitors, rider])
      const [worth] = objectsWorth((await measured(stack, site)).results)
      const [missing, answering] = [worth?.missingMs ?? 0, worth?.answeringMs ?? 0]
      console.log(`first byte ${Math.round(missing)} ms with every read a miss, ${Math.round(answering)} ms answering`)
      return [
        { name: 'objects-queries-per-page', value: queries, unit: 'queries', aim: 5, better: 'lower' },
        {
          name: 'objects-signed-in-ttfb-gain',
          value: missing / Math.max(1, answering),
          unit: 'ratio',
          aim: 1.2,
          better: 'higher',
        },
      ]
    } finally {
      await stack.stop()
    }
  },
}
