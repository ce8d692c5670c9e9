import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { mkdir, mkdtemp, rm } from 'node:fs/promises'
import { createServer, get, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { median } from '../core/stats/median.ts'
import { saveConfig } from '../delivery/process/config-file.ts'
import { configFor, HOST } from './delivery-process.ts'
import { ratioOf } from './ratio.ts'
import type { Benchmark } from './results/result.ts'
import { PAGE } from './stored-page.ts'
import { load } from './wrk.ts'

/** Turns of each; they alternate, so that a slow moment falls on both. */
const TURNS = 24
const PORTS = { one: 19_640, two: 19_660 }
const root = resolve(import.meta.dirname, '..')

const cacheStatusOf = (port: number): Promise<string> =>
  new Promise((done) => {
    get({ host: '127.0.0.1', port, headers: { host: HOST }, agent: false }, (res) =>
      res.resume().on('end', () => done(String(res.headers['cache-status']))),
    ).on('error', () => done(''))
  })

const furtherOf = ({ pid }: ChildProcess): number => {
  try {
    return (
      execFileSync('pgrep', ['-P', String(pid)], { encoding: 'utf8' })
        .trim()
        .split('\n').length - 1
    )
  } catch {
    return -1
  }
}

/** Delivery of so many processes, as its supervisor starts it. */
const startCluster = async (
  port: number,
  processes: number,
  origin: Server,
): Promise<{ stop: () => Promise<void> }> => {
  const folder = await mkdtemp(join(tmpdir(), 'zest-bench-'))
  await mkdir(join(folder, 'delivery'), { recursive: true })
  await saveConfig(join(folder, 'delivery/setups.json'), configFor((origin.address() as AddressInfo).port))
  const start = "import('./scripts/supervise.mjs').then(({ Supervisor }) => new Supervisor({}).startDelivery())"
  const supervisor = spawn(process.execPath, ['-e', start], {
    cwd: root,
    env: {
      ...process.env,
      ZEST_DATA_DIR: folder,
      ZEST_PORT: String(port),
      ZEST_DELIVERY_PROCESSES: String(processes),
    },
    stdio: ['ignore', 'ignore', 'inherit'],
  })
  while (furtherOf(supervisor) < processes - 1 || !(await cacheStatusOf(port + 10)).includes('; hit'))
    await new Promise((done) => setTimeout(done, 100))
  return {
    stop: async () => {
      supervisor.kill('SIGTERM')
      await once(supervisor, 'exit')
      await rm(folder, { recursive: true, force: true, maxRetries: 5 })
    },
  }
}

/** Requests per second of a stored page from two processes that deliver, to one, each in turn under the same load on the same cores. */
export const processes: Benchmark = {
  names: ['processes-rps-gain'],
  run: async () => {
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE))
    await new Promise<void>((done) => origin.listen(0, '127.0.0.1', done))
    const [one, two] = [await startCluster(PORTS.one, 1, origin), await startCluster(PORTS.two, 2, origin)]
    try {
      for (const port of [PORTS.one, PORTS.two]) await load(port + 10)
      const turns: { one: number; two: number }[] = []
      for (let i = 0; i < TURNS; i++)
        turns.push({ one: (await load(PORTS.one + 10)).rps, two: (await load(PORTS.two + 10)).rps })
      const rps = (of: 'one' | 'two'): number => Math.round(median(turns.map((turn) => turn[of])))
      console.log(`requests a second: one process ${rps('one')}, two ${rps('two')}`)
      return [
        {
          name: 'processes-rps-gain',
          ...ratioOf(turns.map((turn) => turn.two / turn.one)),
          unit: 'ratio',
          aim: 1.3,
          better: 'higher',
        },
      ]
    } finally {
      await Promise.all([one.stop(), two.stop()])
      origin.close()
      origin.closeAllConnections()
    }
  },
}
