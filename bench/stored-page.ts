import autocannon from 'autocannon'
import { fork, type ChildProcess } from 'node:child_process'
import { createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { median } from '../core/stats/median.ts'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import type { Benchmark } from './result.ts'
import { startStatic } from './static-server.ts'

/** Turns of each server, and how long one lasts; they alternate, so that a slow moment falls on both. */
const TURNS = 5
const TURN_S = 3
const CONNECTIONS = 32
const PORT = 19_600
/** As large as the home page of the demo, and as compressible. */
const PAGE = `<!doctype html><title>Bench</title>${Array.from({ length: 160 }, (_, i) => `<a href="/stories/${i}"><img src="/media/story-${i}.jpg" alt="Story ${i * 7}"><h3>Story ${i * i}</h3></a>`).join('\n')}`

interface Answer {
  readonly fields: string[]
  readonly body: Buffer
}

const get = (port: number): Promise<Answer> =>
  new Promise((resolve, reject) => {
    request(
      { host: '127.0.0.1', port, path: '/', headers: { host: HOST, 'accept-encoding': 'br' } },
      (res) => {
        const chunks: Buffer[] = []
        res.on('data', (chunk: Buffer) => chunks.push(chunk))
        res.on('end', () => resolve({ fields: res.rawHeaders, body: Buffer.concat(chunks) }))
      },
    )
      .on('error', reject)
      .end()
  })

const startBare = async ({ fields, body }: Answer): Promise<{ child: ChildProcess; port: number }> => {
  const child = fork(join(import.meta.dirname, 'bare-server.mjs'))
  const ready = new Promise<{ port: number }>((resolve) =>
    child.once('message', (message) => resolve(message as { port: number })),
  )
  // Node writes the fields of the connection itself.
  const own = fields.flatMap((name, i) =>
    i % 2 === 0 && !/^(connection|keep-alive)$/i.test(name) ? [name, fields[i + 1]!] : [],
  )
  child.send({ fields: own, body: body.toString('base64') })
  return { child, port: (await ready).port }
}

interface Turn {
  readonly rps: number
  readonly p99: number
}

const turn = async (port: number): Promise<Turn> => {
  const result = await autocannon({
    url: `http://127.0.0.1:${port}/`,
    connections: CONNECTIONS,
    duration: TURN_S,
    headers: { host: HOST, 'accept-encoding': 'br' },
  })
  if (result.errors + result.non2xx > 0) throw new Error(`${result.errors + result.non2xx} requests failed.`)
  return { rps: result.requests.average, p99: result.latency.p99 }
}

/** Requests per second and 99th percentile of a stored page, as ratios to bare node:http measured in turn. */
export const storedPage: Benchmark = {
  names: ['stored-rps-vs-bare', 'stored-p99-vs-bare'],
  run: async () => {
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE))
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const originPort = (origin.address() as AddressInfo).port
    const delivery = await startDelivery(PORT, configFor(originPort))
    await get(PORT + 10)
    const stored = await get(PORT + 10)
    if (!stored.fields.join('\n').includes('; hit'))
      throw new Error('The page is not answered from the store.')
    const bare = await startBare(stored)
    const fixed = await startStatic(stored.body)
    try {
      for (const port of [PORT + 10, bare.port]) await turn(port)
      const turns: { ours: Turn; theirs: Turn; file: Turn | undefined }[] = []
      for (let i = 0; i < TURNS; i++)
        turns.push({
          ours: await turn(PORT + 10),
          theirs: await turn(bare.port),
          file: fixed === undefined ? undefined : await turn(fixed.port),
        })
      if (fixed !== undefined)
        console.log(
          `requests a second: ours ${Math.round(median(turns.map(({ ours }) => ours.rps)))}, bare node:http ${Math.round(median(turns.map(({ theirs }) => theirs.rps)))}, the same bytes as a static file of a general-purpose web server ${Math.round(median(turns.map(({ file }) => file!.rps)))}`,
        )
      return [
        {
          name: 'stored-rps-vs-bare',
          value: median(turns.map(({ ours, theirs }) => ours.rps / theirs.rps)),
          unit: 'ratio',
          aim: 0.8,
          better: 'higher',
        },
        {
          name: 'stored-p99-vs-bare',
          value: median(turns.map(({ ours, theirs }) => ours.p99 / Math.max(1, theirs.p99))),
          unit: 'ratio',
          aim: 2,
          better: 'lower',
        },
      ]
    } finally {
      bare.child.kill()
      await fixed?.stop()
      await delivery.stop()
      origin.close()
      origin.closeAllConnections()
    }
  },
}
