import { aRunOrder } from '../core/measuring/testing/made-up.ts'
import { criticalBytes } from '../core/model/critical-bytes.ts'
import { floorMs } from '../core/model/floor.ts'
import { DEFAULT_VISITORS } from '../core/sampling/default-visitors.ts'
import { median } from '../core/stats/median.ts'
import { Stack } from '../e2e/stack.ts'
import { launchBrowser } from '../lab/cdp/launch.ts'
import { LinkRelay } from '../lab/link/link-relay.ts'
import { probe } from '../lab/timing/probe.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_980
const LOADS = 5
const PLACES = ['', '/measure', '/remedies', '/store'] as const

/** Cookies of somebody who is signed in to the demo. */
const signedIn = async (stack: Stack): Promise<{ name: string; value: string }[]> => {
  const response = await fetch(`${stack.url}/api/v1/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', origin: stack.url },
    body: JSON.stringify({ name: 'keeper@orrin-sound.example', password: 'nine quays' }),
  })
  return response.headers.getSetCookie().map((line) => {
    const [pair = ''] = line.split(';', 1)
    const equals = pair.indexOf('=')
    return { name: pair.slice(0, equals), value: pair.slice(equals + 1) }
  })
}

/**
 * Main content of our own interface as a laptop with an empty cache, to the floor; the place at which it is furthest away. Each place is opened by its
 * address, as from a bookmark.
 */
export const ownInterface: Benchmark = {
  names: ['own-interface-lcp-vs-floor'],
  run: async () => {
    const stack = await Stack.start(PORT)
    const browser = await launchBrowser()
    const laptop = DEFAULT_VISITORS.find(({ device }) => device === 'laptop')
    if (laptop === undefined) throw new Error('There is no laptop among the default visitors.')
    const link = {
      roundTripMs: laptop.roundTripMs,
      downBitsPerS: laptop.downKbps * 1000,
      upBitsPerS: laptop.upKbps * 1000,
    }
    try {
      const site = await stack.site()
      const cookies = await signedIn(stack)
      const load = async (url: string): Promise<{ lcpMs: number; floor: number }> => {
        const relay = new LinkRelay({ ...laptop, privateAddresses: 'allowed' })
        try {
          const order = aRunOrder(url, { visitor: laptop, cookies })
          const outcome = await probe(browser, order, await relay.listen())
          if (outcome.kind === 'failed') throw new Error(outcome.why)
          const critical = criticalBytes(outcome.requests, outcome.metrics)
          if (critical === undefined) throw new Error('The load has no document.')
          return { lcpMs: outcome.metrics.lcpMs ?? Number.NaN, floor: floorMs(critical, link, 'http') }
        } finally {
          await relay.close()
        }
      }
      const ratios: number[] = []
      for (const place of PLACES) {
        const loads = []
        for (let run = 0; run < LOADS; run++) loads.push(await load(`${stack.url}/sites/${site.id}${place}`))
        const lcpMs = median(loads.map((one) => one.lcpMs))
        const floor = median(loads.map((one) => one.floor))
        console.log(
          `${place === '' ? 'Today' : place}: main content ${Math.round(lcpMs)} ms, floor ${Math.round(floor)} ms`,
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
