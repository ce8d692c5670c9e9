import { aRunOrder, aVisitor } from '../core/measuring/testing/made-up.ts'
import { randomFrom } from '../core/stats/random.ts'
import { median } from '../core/stats/median.ts'
import { keyDigest, ownKey } from '../delivery/control/own-key.ts'
import { DeliveryBench, setupWith } from '../delivery/testing/bench-setup.ts'
import { launchBrowser } from '../lab/cdp/launch.ts'
import { LinkRelay } from '../lab/link/link-relay.ts'
import { probe } from '../lab/timing/probe.ts'
import type { Benchmark } from './results/result.ts'

const PAIRS = 9
/** What the origin takes for the page, ms: a page that is built for each visitor on modest hosting. */
const BUILD_MS = 600
const VISITOR = aVisitor({
  id: 'phone',
  name: 'Phone, mobile network',
  roundTripMs: 60,
  downKbps: 12_000,
  upKbps: 4000,
  cpuSlowdown: 4,
})

/** Text that hardly compresses: a file of so many bytes on the way, too. */
const filler = (bytes: number, seed: number): string => {
  const random = randomFrom(seed)
  return Array.from({ length: bytes }, () => String.fromCharCode(97 + Math.floor(random() * 26))).join('')
}

/** Files as a shop commonly has them: two style sheets, a script that holds the page up, the main picture. */
const FILES: Readonly<Record<string, { readonly type: string; readonly text: string }>> = {
  '/site.css': { type: 'text/css', text: `h1{color:teal}/*${filler(30_000, 1)}*/` },
  '/shop.css': { type: 'text/css', text: `p{margin:1em}/*${filler(20_000, 2)}*/` },
  '/site.js': { type: 'text/javascript', text: `let a/*${filler(60_000, 3)}*/` },
  '/boat.svg': {
    type: 'image/svg+xml',
    text: `<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><rect width="400" height="300" fill="teal"/><!--${filler(90_000, 4)}--></svg>`,
  },
}
const PAGE =
  '<!doctype html><html lang="en"><head><title>Basket</title><link rel="preload" as="image" href="/boat.svg"><link rel="stylesheet" href="/site.css"><link rel="stylesheet" href="/shop.css"><script src="/site.js"></script></head><body><h1>Your basket</h1><img src="/boat.svg" width="400" height="300" alt=""><p>Two tickets to North Sound</p></body></html>'

/** Main content of a page that the origin builds for everybody anew, over HTTP/2 as a phone: without early hints to with them. */
export const earlyHintsGain: Benchmark = {
  names: ['early-hints-gain'],
  run: async () => {
    const bench = await DeliveryBench.open()
    const browser = await launchBrowser([keyDigest((await ownKey(bench.certificates.folder)).publicKey)])
    const setup = (early: boolean) => setupWith({ pageCache: {}, compression: {}, browserCache: {}, hints: { early } })
    bench.use(setup(false), { trial: setup(true) })
    bench.handler = (req, res) => {
      const file = FILES[req.url ?? '']
      if (file !== undefined) return void res.writeHead(200, { 'content-type': file.type }).end(file.text)
      const fields = { 'content-type': 'text/html', 'cache-control': 'no-store' }
      setTimeout(() => res.writeHead(200, fields).end(PAGE), BUILD_MS)
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
