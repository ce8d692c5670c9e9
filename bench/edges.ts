import { createHash } from 'node:crypto'
import { Agent, createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { PurgeResult } from '../core/contracts/delivery.ts'
import type { DeliveryConfig, HomeStore } from '../core/contracts/delivery-config.ts'
import type { EdgeInfo } from '../core/contracts/edges.ts'
import type { Job } from '../core/contracts/jobs.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Site } from '../core/contracts/sites.ts'
import { edgeConfig } from '../core/edges/edge-config.ts'
import { distanceMs } from '../core/model/distance.ts'
import { median } from '../core/stats/median.ts'
import { Stack } from '../e2e/stack.ts'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import type { Benchmark } from './results/result.ts'

const STACK_PORT = 19_500
const PURGES = 300

const withPageCache = async (stack: Stack, site: Site): Promise<void> => {
  const at = (path: string): string => `/sites/${site.id}${path}`
  const { setup, revision } = await stack.api<Trial>('GET', at('/trial'))
  for (const id of ['pageCache', 'compression', 'browserCache', 'minify', 'images'] as const)
    setup.remedies[id].enabled = true
  const trial = await stack.api<Trial>('PUT', at('/trial'), { setup, revision })
  await stack.api('POST', at('/trial/keep'), { revision: trial.revision, note: '' })
}

const edgesThere = async (stack: Stack): Promise<EdgeInfo[]> => {
  for (;;) {
    const edges = await stack.api<EdgeInfo[]>('GET', '/edges')
    if (edges.length === 3 && edges.every(({ setup }) => setup === 'in-force')) return edges
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
}

const startWithEdges = async (): Promise<{ stack: Stack; site: Site; edges: EdgeInfo[] }> => {
  const stack = await Stack.start(STACK_PORT, { ZEST_DEMO_EDGES: '1' })
  try {
    const site = await stack.site()
    await withPageCache(stack, site)
    return { stack, site, edges: await edgesThere(stack) }
  } catch (error) {
    await stack.stop()
    throw error
  }
}

const cacheStatusAt = ({ port }: EdgeInfo, host: string): Promise<string> =>
  new Promise((resolve, reject) => {
    request({ host: '127.0.0.1', port, path: '/', agent: false, headers: { host } }, (res) => {
      res.resume()
      res.on('end', () => resolve(String(res.headers['cache-status'])))
    })
      .on('error', reject)
      .end()
  })

/** How long a purge takes until the last of three edges has confirmed it; asked afterwards whether it is true. */
export const edgePurge: Benchmark = {
  names: ['edge-purge-ms'],
  run: async () => {
    const { stack, site, edges } = await startWithEdges()
    try {
      const took: number[] = []
      const host = `${site.liveHost}:${STACK_PORT + 10}`
      for (let at = 0; at < PURGES; at++) {
        // Every tenth time there is something to lose, and it is looked whether it is lost.
        const looks = at % 10 === 0
        if (looks) await Promise.all(edges.map((edge) => cacheStatusAt(edge, host)))
        const { edges: confirmed } = await stack.api<PurgeResult>('POST', `/sites/${site.id}/purges`, {
          kind: 'paths',
          paths: ['/'],
        })
        const times = confirmed.flatMap(({ tookMs }) => (tookMs === null ? [] : [tookMs]))
        took.push(times.length === edges.length ? Math.max(...times) : Number.POSITIVE_INFINITY)
        const after = looks ? await Promise.all(edges.map((edge) => cacheStatusAt(edge, host))) : []
        if (after.some((status) => /edge; hit/.test(status))) throw new Error('An edge served what was purged.')
      }
      const sorted = took.sort((one, other) => one - other)
      const value = sorted[Math.ceil(0.99 * sorted.length) - 1] ?? Number.POSITIVE_INFINITY
      return [{ name: 'edge-purge-ms', value, unit: 'ms', aim: 1000, better: 'lower' }]
    } finally {
      await stack.stop()
    }
  },
}

/** A visitor so far from home, ms of distance in a round trip. */
const FAR_MS = 180
const PAIRS = 14

/** The home page for a phone far away, from home and through an edge that stands where the phone is. */
export const edgeFarGain: Benchmark = {
  names: ['edge-far-lcp-gain'],
  run: async () => {
    const { stack, site, edges } = await startWithEdges()
    try {
      const home = (await stack.api<Site>('GET', `/sites/${site.id}`)).places.origin
      const phone = site.visitors[0]
      const edge = edges[0]
      if (home === null || phone === undefined || edge === undefined) throw new Error('The demo has no places.')
      // South along the meridian until the distance is right.
      let latitude = home.latitude
      while (distanceMs(home, { ...home, latitude }) < FAR_MS) latitude -= 0.1
      const place = { name: 'Far away', latitude, longitude: home.longitude }
      const far = { ...phone, id: 'bench-far', name: 'Far', place }
      await stack.api('PUT', `/sites/${site.id}/visitors`, [...site.visitors, far])
      const { name, address, port, securePort, homeUrl, siteIds, whenAway } = edge
      await stack.api('PUT', `/edges/${edge.id}`, {
        name,
        address,
        port,
        securePort,
        homeUrl,
        siteIds,
        whenAway,
        place,
      })
      const head = await stack.api<MeasurementHead>('POST', `/sites/${site.id}/measurements`, {
        sides: ['live', 'through-edges'],
        pageIds: [site.sample[0]?.id],
        visitorIds: [far.id],
        runs: PAIRS,
        stop: 'at-the-end',
      })
      for (;;) {
        const job = await stack.api<Job>('GET', `/jobs/${head.jobId}`)
        if (!['queued', 'running'].includes(job.state)) break
        await new Promise((resolve) => setTimeout(resolve, 1000))
      }
      const { results } = await stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${head.id}`)
      const lcp = (side: string): number =>
        results[0]?.sides.find((one) => one.side === side)?.medians.lcpMs ?? Number.NaN
      console.log(
        `far visitor: main content after ${lcp('live')} ms from home, ${lcp('through-edges')} ms through the edge`,
      )
      const value = lcp('live') / lcp('through-edges')
      return [{ name: 'edge-far-lcp-gain', value, unit: 'ratio', aim: 1.5, better: 'higher' }]
    } finally {
      await stack.stop()
    }
  },
}

const HOME_PORT = 19_560
const EDGE_PORT = 19_580
const ASKED = 600
const PAGE = '<!doctype html><title>Bench</title>'.padEnd(20_000, '<p>A line of a page.</p>')
const KEY = 'the-key-of-the-bench-edge'

const timed = (port: number, path: string, agent: Agent): Promise<number> =>
  new Promise((resolve, reject) => {
    const begun = performance.now()
    request({ host: '127.0.0.1', port, path, agent, headers: { host: HOST } }, (res) => {
      res.resume()
      res.on('end', () => resolve(performance.now() - begun))
    })
      .on('error', reject)
      .end()
  })

/** What an edge adds to a page that neither it nor home has, over home alone; one request at a time, in turn, without distance. */
export const edgeOverhead: Benchmark = {
  names: ['edge-overhead-ms'],
  run: async () => {
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE))
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const keyDigest = createHash('sha256').update(KEY).digest('base64url')
    const atHome: DeliveryConfig = {
      ...configFor((origin.address() as AddressInfo).port),
      edges: [{ id: 'bench', keyDigest }],
    }
    const through: HomeStore = {
      base: `http://127.0.0.1:${HOME_PORT + 10}`,
      edge: 'bench',
      key: KEY,
      whenAway: 'fail',
    }
    const home = await startDelivery(HOME_PORT, atHome)
    const edge = await startDelivery(EDGE_PORT, edgeConfig(atHome, through, null))
    const agent = new Agent({ keepAlive: true })
    try {
      for (let i = 0; i < 100; i++) await timed(EDGE_PORT + 10, `/warm/${i}`, agent)
      const differences: number[] = []
      for (let i = 0; i < ASKED; i++) {
        const alone = await timed(HOME_PORT + 10, `/home/${i}`, agent)
        differences.push((await timed(EDGE_PORT + 10, `/edge/${i}`, agent)) - alone)
      }
      return [{ name: 'edge-overhead-ms', value: median(differences), unit: 'ms', aim: 3, better: 'lower' }]
    } finally {
      agent.destroy()
      await Promise.all([home.stop(), edge.stop()])
      origin.close()
      origin.closeAllConnections()
    }
  },
}
