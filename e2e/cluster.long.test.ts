import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { Agent, createServer, request, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import type { DeliveryConfig } from '../core/contracts/delivery-config.ts'
import { Setup } from '../core/contracts/setup.ts'
import { DeliveryClient } from '../delivery/control/client.ts'
import { controlSocketPath } from '../process/socket-path.ts'

/** Three processes that deliver under one supervisor: what visitors notice when they are restarted or killed, and of purges while they are asked. */

const root = resolve(import.meta.dirname, '..')
const PORT = 18_760
let origin: Server
let dataDir: string
let supervisor: ChildProcess
let version = 0

const config = (base: string): DeliveryConfig => ({
  revision: 1,
  sites: [
    {
      siteId: 's',
      origin: { base, hostHeader: 'visitor', timeoutMs: 5000, privateAddresses: 'allowed' },
      knowledge: [],
      challenges: [],
      channels: [
        {
          channel: 'live',
          hosts: ['live.example'],
          setup: Setup.parse({ remedies: { pageCache: { enabled: true } } }),
        },
      ],
    },
  ],
})

const ask = (agent?: Agent): Promise<{ status: number; cacheStatus: string; body: string }> =>
  new Promise((done, reject) => {
    request(
      { host: '127.0.0.1', port: PORT + 10, path: '/', agent: agent ?? false, headers: { host: 'live.example' } },
      (res) => {
        let body = ''
        res.on('data', (chunk: Buffer) => (body += chunk.toString()))
        res.on('error', reject)
        res.on('end', () =>
          done({ status: res.statusCode ?? 0, cacheStatus: String(res.headers['cache-status']), body }),
        )
      },
    )
      .on('error', reject)
      .end()
  })
const askOrNothing = () => ask().catch(() => ({ status: 0, cacheStatus: 'refused', body: '' }))

/** Processes that this supervisor has started, by program. */
const pids = (program: 'delivery' | 'delivery-further'): number[] => {
  try {
    const found = execFileSync('pgrep', ['-P', String(supervisor.pid)], { encoding: 'utf8' })
      .trim()
      .split('\n')
    return found.filter((pid) => readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(`/${program}.mjs`)).map(Number)
  } catch {
    return []
  }
}
const client = (): DeliveryClient => new DeliveryClient(controlSocketPath(dataDir), 60_000)
const purge = () => client().purge({ siteId: 's', what: { kind: 'everything' }, manner: 'hard' })

beforeAll(async () => {
  origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(`page ${version}`))
  await new Promise<void>((done) => origin.listen(0, '127.0.0.1', done))
  dataDir = await mkdtemp(join(tmpdir(), 'zest-cluster-'))
  await mkdir(join(dataDir, 'delivery'))
  const base = `http://127.0.0.1:${(origin.address() as AddressInfo).port}`
  await writeFile(join(dataDir, 'delivery/setups.json'), JSON.stringify(config(base)))
  const start = `import('./scripts/supervise.mjs').then(({ Supervisor }) => new Supervisor({}).startDelivery())`
  supervisor = spawn(process.execPath, ['-e', start], {
    cwd: root,
    env: { ...process.env, ZEST_DATA_DIR: dataDir, ZEST_PORT: String(PORT), ZEST_DELIVERY_PROCESSES: '3' },
    stdio: ['ignore', 'inherit', 'inherit'],
  })
  await vi.waitUntil(async () => (await askOrNothing()).cacheStatus.includes('hit'), { timeout: 60_000 })
  await vi.waitUntil(() => pids('delivery-further').length === 2, { timeout: 60_000 })
})
afterAll(async () => {
  supervisor.kill('SIGTERM')
  await new Promise((done) => supervisor.once('exit', done))
  origin.close()
  await rm(dataDir, { recursive: true, force: true })
})

/** Ask over many connections at once, until it is told to stop. */
const underLoad = async (
  meanwhile: () => Promise<void>,
  check: (answer: { status: number; body: string }, askedAfter: number) => unknown,
): Promise<{ asked: number; failures: unknown[] }> => {
  const agent = new Agent({ keepAlive: true, maxSockets: 40 })
  const failures: unknown[] = []
  let [asked, going] = [0, true]
  const asking = Promise.all(
    Array.from({ length: 40 }, async () => {
      while (going) {
        const known = version
        asked++
        await ask(agent).then(
          (answer) => {
            const wrong = check(answer, known)
            if (wrong !== undefined) failures.push(wrong)
          },
          (error: unknown) => failures.push(error),
        )
      }
    }),
  )
  await meanwhile().finally(() => (going = false))
  await asking
  agent.destroy()
  return { asked, failures }
}

test('a purge counts for all of them once it is answered: 100 under load, and no old page after any', async () => {
  const { asked, failures } = await underLoad(
    async () => {
      let next = 0
      for (let i = 0; i < 100; i++) {
        next++
        // The origin changes first; from the purge's answer on nobody may see what was there before.
        origin.removeAllListeners('request')
        const text = `page ${next}`
        origin.on('request', (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(text))
        await purge()
        version = next
        await new Promise((done) => setTimeout(done, 20))
      }
    },
    ({ status, body }, known) =>
      status === 200 && Number(body.replace('page ', '')) >= known ? undefined : `${status} ${body} after ${known}`,
  )
  expect(failures.slice(0, 5)).toEqual([])
  expect(asked).toBeGreaterThan(500)
})

const counted = async (): Promise<number> => (await client().traffic('s')).channels[0]?.requests ?? 0

test('whichever of them answers, it is counted', async () => {
  const before = await counted()
  const { asked } = await underLoad(
    () => new Promise((done) => setTimeout(done, 2000)),
    () => undefined,
  )
  await expect.poll(async () => (await counted()) - before).toBe(asked)
})

test('a restart of all of them under load: no request fails', async () => {
  const before = [...pids('delivery'), ...pids('delivery-further')]
  const { asked, failures } = await underLoad(
    async () => {
      supervisor.kill('SIGHUP')
      await vi.waitUntil(
        () => {
          const now = [...pids('delivery'), ...pids('delivery-further')]
          return now.length === 3 && now.every((pid) => !before.includes(pid))
        },
        { timeout: 120_000, interval: 200 },
      )
    },
    ({ status }) => (status === 200 ? undefined : status),
  )
  expect(failures.slice(0, 5)).toEqual([])
  expect(asked).toBeGreaterThan(500)
})

test.each(['delivery', 'delivery-further'] as const)('%s that is killed is back by itself', async (program) => {
  const [before] = pids(program)
  process.kill(before ?? 0, 'SIGKILL')
  await expect
    .poll(async () => (await askOrNothing()).cacheStatus, { timeout: 60_000, interval: 20 })
    .toMatch(/hit|store-opening/)
  await vi.waitUntil(
    () => pids(program).length === (program === 'delivery' ? 1 : 2) && !pids(program).includes(before ?? 0),
    {
      timeout: 60_000,
    },
  )
  // Further ones take purges again.
  await expect.poll(() => client().isUp(), { timeout: 60_000 }).toBe(true)
  await purge()
  await expect.poll(async () => (await askOrNothing()).cacheStatus, { timeout: 60_000 }).toContain('hit')
})
