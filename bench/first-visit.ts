import { setTimeout } from 'node:timers/promises'
import type { Trial } from '../core/contracts/ledger.ts'
import { openBrowser, Stack } from '../e2e/stack.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_940
const FIRST_MS = 5000
const LATER_MS = 10 * 60_000

/** Bytes of the home page's pictures that a phone loads, from a live address, within a time. */
const pictureBytes = async (url: string, ms: number): Promise<number> => {
  const browser = await openBrowser()
  try {
    const page = await browser.newPage({
      viewport: { width: 390, height: 844 },
      deviceScaleFactor: 2.6,
      isMobile: true,
      userAgent: 'Mozilla/5.0 (Linux; Android 14) Mobile',
    })
    const session = await page.context().newCDPSession(page)
    await session.send('Network.enable')
    const pictures = new Set<string>()
    let bytes = 0
    session.on('Network.responseReceived', ({ requestId, type }) => void (type === 'Image' && pictures.add(requestId)))
    session.on('Network.loadingFinished', ({ requestId, encodedDataLength }) => {
      if (pictures.has(requestId)) bytes += encodedDataLength
    })
    await page.goto(url, { waitUntil: 'commit' })
    await setTimeout(ms)
    return bytes
  } finally {
    await browser.close()
  }
}

/** Pictures of the home page for whoever comes within 5 s after a version is published that nobody has tried, to those ten minutes later. */
export const firstVisit: Benchmark = {
  names: ['first-visit-picture-bytes'],
  run: async () => {
    const stack = await Stack.start(PORT)
    try {
      const site = await stack.site()
      const at = (path: string): string => `/sites/${site.id}${path}`
      const { setup, revision } = await stack.api<Trial>('GET', at('/trial'))
      for (const id of ['pageCache', 'images'] as const)
        setup.remedies[id] = { ...setup.remedies[id], enabled: true } as never
      const trial = await stack.api<Trial>('PUT', at('/trial'), { setup, revision })
      await stack.api('POST', at('/trial/keep'), { revision: trial.revision, note: '' })
      const first = await pictureBytes(`${site.liveUrl}/`, FIRST_MS)
      await setTimeout(LATER_MS)
      const later = await pictureBytes(`${site.liveUrl}/`, FIRST_MS)
      console.log(`pictures of the home page: ${first} bytes at first, ${later} ten minutes later`)
      return [{ name: 'first-visit-picture-bytes', value: first / later, unit: 'ratio', aim: 1.5, better: 'lower' }]
    } finally {
      await stack.stop()
    }
  },
}
