import { createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { WarmUpPace } from '../core/cache/warm-up-pace.ts'
import { median } from '../core/stats/median.ts'
import type { Benchmark } from './results/result.ts'

const SERVICE_MS = 80
const MINUTES = 2

/** An origin with one worker, whose work takes longer from half-time on. */
const openOrigin = async (): Promise<{ url: string; slow: () => void; close: () => void }> => {
  let serviceMs = SERVICE_MS
  let freeAt = 0
  const server = createServer((_req, res) => {
    const now = performance.now()
    freeAt = Math.max(freeAt, now) + serviceMs
    setTimeout(() => res.end('page'), freeAt - now)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    slow: () => (serviceMs *= 4),
    close: () => server.close().closeAllConnections(),
  }
}

const ask = (url: string): Promise<number> =>
  new Promise((resolve, reject) => {
    const begun = performance.now()
    request(url, { agent: false }, (res) => {
      resolve(performance.now() - begun)
      res.resume()
    })
      .on('error', reject)
      .end()
  })

/**
 * What visitors wait for an origin while a warm-up runs, as the 95th percentile to the median of a quiet one. Visitors come once a second; the warm-up
 * may make 3,000 requests a minute and ten at a time, far more than the origin bears, so the pace is all that protects it. The quiet one is a
 * twin that nobody warms; half-way both become four times slower.
 */
export const warmPace: Benchmark = {
  names: ['warm-origin-p95-vs-quiet'],
  run: async () => {
    const origin = await openOrigin()
    /** The same without a warm-up. */
    const quietOrigin = await openOrigin()
    const pace = new WarmUpPace({ perMinute: 3000, atOnce: 10, slowdown: 1.5 })
    const stop = new AbortController()
    const ratios: number[] = []
    let warmed = 0
    const warm = async (): Promise<void> => {
      const running = new Set<Promise<void>>()
      while (!stop.signal.aborted) {
        const decision = pace.decide(performance.now())
        if (decision.kind === 'go') {
          pace.begin(performance.now())
          const one = ask(origin.url).then((ms) => {
            warmed++
            pace.end(performance.now(), [ms])
          })
          const settled = one.finally(() => running.delete(settled))
          running.add(settled)
        } else await new Promise((resolve) => setTimeout(resolve, Math.min(decision.ms, 20)))
      }
      await Promise.all(running)
    }
    const visit = async (url: string, seconds: number): Promise<number[]> => {
      const waits: number[] = []
      for (let second = 0; second < seconds; second++) {
        waits.push(await ask(url))
        await new Promise((resolve) => setTimeout(resolve, 1000))
      }
      return waits
    }
    try {
      for (const half of ['quick', 'slow'] as const) {
        if (half === 'slow') for (const one of [origin, quietOrigin]) one.slow()
        const quiet = median(await visit(quietOrigin.url, 10))
        const warming = half === 'quick' ? warm() : undefined
        if (warming !== undefined) warming.catch(() => undefined)
        const waits = (await visit(origin.url, MINUTES * 60)).toSorted((a, b) => a - b)
        const p95 = waits[Math.floor(0.95 * (waits.length - 1))] ?? Number.NaN
        console.log(
          `${half}: quiet ${quiet.toFixed(0)} ms, 95th percentile ${p95.toFixed(0)} ms, ${warmed} requests so far, ${pace.perMinute.toFixed(0)} a minute`,
        )
        ratios.push(p95 / quiet)
      }
      return [
        { name: 'warm-origin-p95-vs-quiet', value: Math.max(...ratios), unit: 'ratio', aim: 1.5, better: 'lower' },
      ]
    } finally {
      stop.abort()
      for (const one of [origin, quietOrigin]) one.close()
    }
  },
}
