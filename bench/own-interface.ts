import type { Site } from '../core/contracts/sites.ts'
import { criticalBytes } from '../core/model/critical-bytes.ts'
import { floorMs } from '../core/model/floor.ts'
import { aRunOrder } from '../core/measuring/testing/made-up.ts'
import { DEFAULT_VISITORS } from '../core/sampling/default-visitors.ts'
import { median } from '../core/stats/median.ts'
import { Stack } from '../e2e/stack.ts'
import { launchBrowser } from '../lab/cdp/launch.ts'
import { LinkRelay } from '../lab/link/link-relay.ts'
import { probe } from '../lab/timing/probe.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_980
const LOADS = 9

/** The cookie of the demo's account, as a browser has it after signing in. */
const signIn = async (url: string): Promise<{ name: string; value: string }> => {
  const answer = await fetch(`${url}/api/v1/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', origin: url },
    body: JSON.stringify({ name: 'keeper@orrin-sound.example', password: 'nine quays' }),
  })
  const [pair = ''] = answer.headers.getSetCookie()[0]?.split(';') ?? []
  const mark = pair.indexOf('=')
  return { name: pair.slice(0, mark), value: pair.slice(mark + 1) }
}

/** The interface of Zest Lamp itself, signed in, first visit as the laptop: main content of each place, to the floor; the largest. */
export const ownInterface: Benchmark = {
  names: ['own-interface-lcp-vs-floor'],
  run: async () => {
    const visitor = DEFAULT_VISITORS.find(({ device }) => device === 'laptop')
    if (visitor === undefined) throw new Error('There is no laptop.')
    const stack = await Stack.start(PORT)
    const browser = await launchBrowser()
    try {
      const [site] = await stack.api<Site[]>('GET', '/sites')
      const cookies = [await signIn(stack.url)]
      const ratios: number[] = []
      for (const place of ['', '/remedies', '/store']) {
        const url = `${stack.url}/sites/${site?.id}${place}`
        const loads: { lcpMs: number; floor: number }[] = []
        for (let run = 0; run <= LOADS; run++) {
          const relay = new LinkRelay({ ...visitor, privateAddresses: 'allowed' })
          const outcome = await probe(browser, aRunOrder(url, { visitor, cookies }), await relay.listen())
          await relay.close()
          if (outcome.kind === 'failed') throw new Error(outcome.why)
          const critical = criticalBytes(outcome.requests, outcome.metrics)
          if (critical === undefined || outcome.metrics.lcpMs === null) throw new Error(`${url} shows nothing.`)
          const link = { roundTripMs: visitor.roundTripMs, downBitsPerS: visitor.downKbps * 1000 }
          if (run > 0) loads.push({ lcpMs: outcome.metrics.lcpMs, floor: floorMs(critical, link, 'http') })
        }
        const [lcpMs, floor] = [median(loads.map((one) => one.lcpMs)), median(loads.map((one) => one.floor))]
        console.log(
          `${place === '' ? '/today' : place}: main content after ${lcpMs.toFixed(0)} ms, floor ${floor.toFixed(0)} ms`,
        )
        ratios.push(lcpMs / floor)
      }
      return [
        { name: 'own-interface-lcp-vs-floor', value: Math.max(...ratios), unit: 'ratio', aim: 2, better: 'lower' },
      ]
    } finally {
      await browser.close()
      await stack.stop()
    }
  },
}
