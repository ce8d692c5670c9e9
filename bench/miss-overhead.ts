import { Agent, createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { median } from '../core/stats/median.ts'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_700
const ASKED = 600
const PAGE = '<!doctype html><title>Bench</title>'.padEnd(20_000, '<p>A line of a page.</p>')

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

/** What the way through delivery adds to a page that is not stored yet, over asking the origin directly; one request at a time, in turn. */
export const missOverhead: Benchmark = {
  names: ['miss-overhead-ms'],
  run: async () => {
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE))
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const originPort = (origin.address() as AddressInfo).port
    const delivery = await startDelivery(PORT, configFor(originPort))
    const agent = new Agent({ keepAlive: true })
    try {
      for (let i = 0; i < 100; i++) await timed(PORT + 10, `/warm/${i}`, agent)
      const differences: number[] = []
      for (let i = 0; i < ASKED; i++) {
        const direct = await timed(originPort, `/page/${i}`, agent)
        differences.push((await timed(PORT + 10, `/page/${i}`, agent)) - direct)
      }
      return [{ name: 'miss-overhead-ms', value: median(differences), unit: 'ms', aim: 2, better: 'lower' }]
    } finally {
      agent.destroy()
      await delivery.stop()
      origin.close()
      origin.closeAllConnections()
    }
  },
}
