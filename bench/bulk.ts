import { createServer, Agent, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import sharp from 'sharp'
import { PicturePlan } from '../core/contracts/picture-library.ts'
import { Setup } from '../core/contracts/setup.ts'
import { median } from '../core/stats/median.ts'
import { pictureProcess } from '../server/pictures/picture-worker.ts'
import { configFor, HOST, startDelivery, type DeliveryProcess } from './delivery-process.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_600
const PHOTOS = 90
const TURNS = 4
const TURN_MS = 6000
/** One request every so many milliseconds: a busy site, far from the limit, so that what is measured is the wait and not the queue. */
const EVERY_MS = 2

const photo = (): Promise<Buffer> =>
  sharp({
    create: {
      width: 1600,
      height: 1067,
      channels: 3,
      background: '#6a8a98',
      noise: { type: 'gaussian', mean: 128, sigma: 20 },
    },
  })
    .jpeg({ quality: 88 })
    .toBuffer()

const agent = new Agent({ keepAlive: true, maxSockets: 64 })

/** @returns ms until the whole answer was there */
const timed = (): Promise<number> =>
  new Promise((resolve, reject) => {
    const startedAt = performance.now()
    request(
      { host: '127.0.0.1', port: PORT + 10, path: '/page', headers: { host: HOST, 'accept-encoding': 'br' }, agent },
      (res) => {
        res.resume()
        res.once('end', () => resolve(performance.now() - startedAt))
      },
    )
      .on('error', reject)
      .end()
  })

const p99 = async (): Promise<number> => {
  const asked: Promise<number>[] = []
  const endsAt = performance.now() + TURN_MS
  while (performance.now() < endsAt) {
    asked.push(timed())
    await new Promise((resolve) => setTimeout(resolve, EVERY_MS))
  }
  const times = (await Promise.all(asked)).sort((a, b) => a - b)
  return times[Math.floor(times.length * 0.99)]!
}

const waiting = async (delivery: DeliveryProcess): Promise<number> => (await delivery.client.preparing('bench')).waiting

const load = (path: string): Promise<void> =>
  new Promise((resolve, reject) => {
    request({ host: '127.0.0.1', port: PORT + 10, path, headers: { host: HOST } }, (res) => {
      res.resume()
      res.once('end', resolve)
    })
      .on('error', reject)
      .end()
  })

/** The same while Upkeep makes a library lighter with the share of the processor that it usually has. */
const p99WithUpkeep = async (bytes: Buffer): Promise<number[]> => {
  const maker = pictureProcess(join(import.meta.dirname, 'picture-maker.mjs'))
  const ended = new AbortController()
  const working = (async () => {
    while (!ended.signal.aborted) await maker.choose(bytes, PicturePlan.parse({}), ended.signal)
  })().catch(() => undefined)
  const times: number[] = []
  for (let turn = 0; turn < TURNS; turn++) times.push(await p99())
  ended.abort()
  await working
  maker.end()
  return times
}

/** 99th percentile of a stored page while hundreds of pictures are converted, to that on an idle machine; and how many are converted a second. */
export const bulk: Benchmark = {
  names: ['bulk-p99-vs-idle', 'pictures-per-s'],
  run: async () => {
    const bytes = await photo()
    const gallery = `<!doctype html><title>Gallery</title>${Array.from({ length: PHOTOS }, (_, i) => `<img src="/media/${i}.jpg">`).join('')}`
    const origin = createServer((req, res) => {
      if (req.url?.startsWith('/media/')) return void res.writeHead(200, { 'content-type': 'image/jpeg' }).end(bytes)
      res
        .writeHead(200, { 'content-type': 'text/html' })
        .end(req.url === '/gallery' ? gallery : `<!doctype html><p>${'Ferry '.repeat(2000)}`)
    })
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const config = configFor((origin.address() as AddressInfo).port)
    const [site] = config.sites
    const { remedies } = site!.channels[0]!.setup
    site!.channels[0]!.setup = Setup.parse({
      remedies: { ...remedies, images: { enabled: true, sizes: false } },
    })
    const delivery = await startDelivery(PORT, config)
    try {
      await load('/page')
      await p99()
      const idle: number[] = []
      const busy: number[] = []
      for (let turn = 0; turn < TURNS / 2; turn++) idle.push(await p99())
      await load('/gallery')
      while ((await waiting(delivery)) < PHOTOS / 2) await new Promise((resolve) => setTimeout(resolve, 50))
      const before = await waiting(delivery)
      const startedAt = performance.now()
      for (let turn = 0; turn < TURNS; turn++) busy.push(await p99())
      const left = await waiting(delivery)
      if (left === 0) throw new Error('The conversion ended before it was measured; raise PHOTOS.')
      const perSecond = (before - left) / ((performance.now() - startedAt) / 1000)
      while ((await waiting(delivery)) > 0) await new Promise((resolve) => setTimeout(resolve, 200))
      const upkeep = await p99WithUpkeep(bytes)
      for (let turn = 0; turn < TURNS / 2; turn++) idle.push(await p99())
      console.log(
        `p99 idle ${idle.map((ms) => ms.toFixed(2)).join(' ')} ms, converting ${busy.map((ms) => ms.toFixed(2)).join(' ')} ms, with Upkeep ${upkeep.map((ms) => ms.toFixed(2)).join(' ')} ms; photos of 1600x1067 to AVIF`,
      )
      return [
        {
          name: 'bulk-p99-vs-idle',
          // Whoever converts, visitors are not to feel it: the worse of the two.
          value: Math.max(median(busy), median(upkeep)) / median(idle),
          unit: 'ratio',
          aim: 1.5,
          better: 'lower',
        },
        { name: 'pictures-per-s', value: perSecond, unit: '1/s', aim: 0.2, better: 'higher' },
      ]
    } finally {
      await delivery.stop()
      origin.close()
      origin.closeAllConnections()
    }
  },
}
