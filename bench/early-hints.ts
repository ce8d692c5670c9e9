import { aRunOrder, aVisitor } from '../core/measuring/testing/made-up.ts'
import { median } from '../core/stats/median.ts'
import { DeliveryBench, setupWith } from '../delivery/testing/bench-setup.ts'
import { launchBrowser } from '../lab/cdp/launch.ts'
import { LinkRelay } from '../lab/link/link-relay.ts'
import { probe } from '../lab/timing/probe.ts'
import type { Benchmark } from './results/result.ts'

const PAIRS = 9
/** What the origin takes for the page, ms: a page that is built for each visitor on modest hosting. */
const BUILD_MS = 600
const RULES = 1500

const VISITOR = aVisitor({
  id: 'phone',
  name: 'Phone, mobile network',
  roundTripMs: 60,
  downKbps: 12_000,
  upKbps: 4000,
  cpuSlowdown: 4,
})

const SHEET = Array.from({ length: RULES }, (_, at) => `.r${at} > li:nth-child(${at}) { margin: ${at}px }`).join('\n')
const PAGE = `<!doctype html><html lang="en"><head><title>Basket</title><link rel="stylesheet" href="/site.css"><link rel="stylesheet" href="/shop.css"><script src="/site.js"></script></head><body><h1>Your basket</h1><p>${'Two tickets to North Sound, one bicycle. '.repeat(20)}</p></body></html>`

/** Main content of a page that the origin builds for everybody anew, over HTTP/2 as a phone: without early hints to with them. */
export const earlyHintsGain: Benchmark = {
  names: ['early-hints-gain'],
  run: async () => {
    const bench = await DeliveryBench.open()
    const browser = await launchBrowser()
    const setup = (early: boolean) => setupWith({ pageCache: {}, compression: {}, browserCache: {}, hints: { early } })
    bench.use(setup(false), { trial: setup(true) })
    bench.handler = (req, res) => {
      const type = req.url?.endsWith('.css') === true ? 'text/css' : 'text/javascript'
      if (req.url !== '/basket') res.writeHead(200, { 'content-type': type }).end(type === 'text/css' ? SHEET : 'let a')
      else
        setTimeout(
          () => res.writeHead(200, { 'content-type': 'text/html', 'cache-control': 'no-store' }).end(PAGE),
          BUILD_MS,
        )
    }
    const load = async (host: string): Promise<number> => {
      const where = `${host}:${bench.securePort}`
      const connectTo = { [where]: `127.0.0.1:${bench.securePort}` }
      const relay = new LinkRelay({ ...VISITOR, connectTo, privateAddresses: 'allowed' })
      const order = aRunOrder(`https://${where}/basket`, { visitor: VISITOR, connectTo })
      try {
        const outcome = await probe(browser, order, await relay.listen())
        if (outcome.kind === 'failed') throw new Error(outcome.why)
        return outcome.metrics.lcpMs ?? Number.NaN
      } finally {
        await relay.close()
      }
    }
    try {
      // What the page names is known once somebody has seen it.
      for (const host of ['live.example', 'trial.example']) await load(host)
      const ratios: number[] = []
      for (let pair = 0; pair < PAIRS; pair++) {
        const [without, withHints] = [await load('live.example'), await load('trial.example')]
        console.log(`main content ${Math.round(without)} ms without, ${Math.round(withHints)} ms with`)
        ratios.push(without / withHints)
      }
      return [{ name: 'early-hints-gain', value: median(ratios), unit: 'ratio', aim: 1.1, better: 'higher' }]
    } finally {
      await browser.close()
      await bench.close()
    }
  },
}
