import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdir, mkdtemp, readFile, rm } from 'node:fs/promises'
import { createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { performance } from 'node:perf_hooks'
import { cacheKey } from '../core/cache/cache-key.ts'
import { median } from '../core/stats/median.ts'
import { epochMs, seconds } from '../core/time.ts'
import { saveConfig } from '../delivery/process/config-file.ts'
import { IndexedStore } from '../delivery/store/indexed-store.ts'
import { configFor, HOST } from './delivery-process.ts'
import type { Benchmark } from './results/result.ts'

const ENTRIES = 200_000
const KILLS = 5
const PORT = 19_640
const LIMITS = { memoryBytes: 64e6, diskBytes: 64e9 }

const fill = async (folder: string): Promise<void> => {
  const store = await IndexedStore.onDisk(folder, LIMITS, (sentence) => {
    throw new Error(sentence)
  })
  const body = Buffer.from('page')
  for (let i = 0; i < ENTRIES; i++) {
    const key = cacheKey('bench/live', 'http', HOST, `/stories/a-day-at-quay-${i}`)
    store.put(
      {
        key,
        status: 200,
        fields: [['content-type', 'text/html']],
        requestTime: epochMs(Date.now()),
        responseTime: epochMs(Date.now()),
        correctedInitialAge: seconds(0),
        nominated: [],
      },
      new Map([['identity', body]]),
    )
    if (i % 2000 === 0) await store.settled()
  }
  await store.settled()
  await store.close()
}

/** Cache-Status of an answer; undefined while nobody answers. */
const ask = (path: string): Promise<string | undefined> =>
  new Promise((done) => {
    request({ host: '127.0.0.1', port: PORT + 10, path, agent: false, headers: { host: HOST } }, (res) =>
      res.resume().on('end', () => done(res.statusCode === 200 ? String(res.headers['cache-status']) : undefined)),
    )
      .on('error', () => done(undefined))
      .end()
  })

const until = async (holds: (status: string) => boolean, begun: number): Promise<number> => {
  for (;;) {
    const status = await ask('/stories/a-day-at-quay-7')
    if (status !== undefined && holds(status)) return performance.now() - begun
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
}

/** The process of delivery below its supervisor (proc(5)). */
const childOf = async (pid: number): Promise<number> =>
  Number((await readFile(`/proc/${pid}/task/${pid}/children`, 'utf8')).trim().split(' ')[0])

/** Delivery with many entries is killed without warning: how long until the next answer, and until the next one from the store. */
export const recovery: Benchmark = {
  names: ['killed-to-answer-ms', 'killed-to-hit-ms'],
  run: async () => {
    const folder = await mkdtemp(join(tmpdir(), 'zest-recovery-'))
    await mkdir(join(folder, 'delivery/store'), { recursive: true })
    await fill(join(folder, 'delivery/store'))
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('page'))
    await new Promise<void>((done) => origin.listen(0, '127.0.0.1', done))
    await saveConfig(join(folder, 'delivery/setups.json'), configFor((origin.address() as AddressInfo).port))
    const start = `import('./scripts/supervise.mjs').then(({ Supervisor }) => new Supervisor({}).start('delivery'))`
    const supervisor = spawn(process.execPath, ['-e', start], {
      cwd: resolve(import.meta.dirname, '..'),
      env: { ...process.env, ZEST_DATA_DIR: folder, ZEST_PORT: String(PORT) },
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    const [answers, hits]: [number[], number[]] = [[], []]
    try {
      await until((status) => status.includes('; hit'), 0)
      for (let i = 0; i < KILLS; i++) {
        // A run of some seconds counts as a healthy one, after which the supervisor starts again at once.
        await new Promise((resolve) => setTimeout(resolve, 5000))
        process.kill(await childOf(supervisor.pid!), 'SIGKILL')
        const begun = performance.now()
        answers.push(await until(() => true, begun))
        hits.push(await until((status) => status.includes('; hit'), begun))
      }
    } finally {
      supervisor.kill('SIGTERM')
      await once(supervisor, 'exit')
      origin.close()
      origin.closeAllConnections()
      await rm(folder, { recursive: true, force: true })
    }
    return [
      { name: 'killed-to-answer-ms', value: median(answers), unit: 'ms', aim: 1000, better: 'lower' },
      { name: 'killed-to-hit-ms', value: median(hits), unit: 'ms', aim: 3000, better: 'lower' },
    ]
  },
}
