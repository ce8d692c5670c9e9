import { fork, type ChildProcess } from 'node:child_process'
import { readFile } from 'node:fs/promises'
import { createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { median } from '../core/stats/median.ts'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import { ratioOf } from './ratio.ts'
import type { Benchmark } from './results/result.ts'
import { startStatic } from './static-server.ts'
import { load } from './wrk.ts'

/** Turns of each server, one second each; they alternate, so that a slow moment falls on both. */
const TURNS = 24
const PORT = 19_600
/** As large as the home page of the demo, and as compressible. */
export const PAGE = `<!doctype html><title>Bench</title>${Array.from({ length: 160 }, (_, i) => `<a href="/stories/${i}"><img src="/media/story-${i}.jpg" alt="Story ${i * 7}"><h3>Story ${i * i}</h3></a>`).join('\n')}`

interface Answer {
  readonly fields: string[]
  readonly body: Buffer
}

const get = (port: number): Promise<Answer> =>
  new Promise((resolve, reject) => {
    request({ host: '127.0.0.1', port, path: '/', headers: { host: HOST, 'accept-encoding': 'br' } }, (res) => {
      const chunks: Buffer[] = []
      res.on('data', (chunk: Buffer) => chunks.push(chunk))
      res.on('end', () => resolve({ fields: res.rawHeaders, body: Buffer.concat(chunks) }))
    })
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
  /** Processor time of the server for each request, ms. */
  readonly cpuMs: number
}

/** Processor time a process has used, all its threads together, ms (proc(5): fields 14 and 15, in hundredths of a second). */
const cpuOf = async (pid: number): Promise<number> => {
  const text = await readFile(`/proc/${pid}/stat`, 'utf8')
  const fields = text.slice(text.lastIndexOf(')') + 2).split(' ')
  return (Number(fields[11]) + Number(fields[12])) * 10
}

const turn = async (port: number, pid: number): Promise<Turn> => {
  const before = await cpuOf(pid)
  const { rps, p99, requests } = await load(port)
  return { rps, p99, cpuMs: ((await cpuOf(pid)) - before) / requests }
}

/** Requests per second and 99th percentile of a stored page, as ratios to bare node:http measured in turn. */
export const storedPage: Benchmark = {
  names: ['stored-rps-vs-bare', 'stored-cpu-vs-bare', 'stored-p99-vs-bare'],
  run: async () => {
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE))
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const originPort = (origin.address() as AddressInfo).port
    const delivery = await startDelivery(PORT, configFor(originPort))
    await get(PORT + 10)
    const stored = await get(PORT + 10)
    if (!stored.fields.join('\n').includes('; hit')) throw new Error('The page is not answered from the store.')
    const bare = await startBare(stored)
    const fixed = await startStatic(stored.body)
    try {
      const servers = { ours: [PORT + 10, delivery.pid], theirs: [bare.port, bare.child.pid!] } as const
      for (const [port] of Object.values(servers)) await load(port)
      const turns: { ours: Turn; theirs: Turn }[] = []
      for (let i = 0; i < TURNS; i++)
        turns.push({ ours: await turn(...servers.ours), theirs: await turn(...servers.theirs) })
      const file = fixed === undefined ? undefined : await load(fixed.port)
      const rps = (of: 'ours' | 'theirs'): number => Math.round(median(turns.map((one) => one[of].rps)))
      console.log(
        `requests a second: ours ${rps('ours')}, bare node:http ${rps('theirs')}${file === undefined ? '' : `, the same bytes as a static file of a general-purpose web server ${Math.round(file.rps)}`}`,
      )
      const ratios = (of: (turn: Turn) => number): number[] => turns.map(({ ours, theirs }) => of(ours) / of(theirs))
      return [
        {
          name: 'stored-rps-vs-bare',
          ...ratioOf(ratios(({ rps }) => rps)),
          unit: 'ratio',
          aim: 0.85,
          better: 'higher',
        },
        {
          name: 'stored-cpu-vs-bare',
          ...ratioOf(ratios(({ cpuMs }) => cpuMs)),
          unit: 'ratio',
          aim: 1.2,
          better: 'lower',
        },
        {
          name: 'stored-p99-vs-bare',
          ...ratioOf(ratios(({ p99 }) => p99)),
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
