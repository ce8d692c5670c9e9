import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { mkdir, mkdtemp, readdir, rm, stat, writeFile } from 'node:fs/promises'
import { Agent, createServer, request, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import type { DeliveryConfig } from '../core/contracts/delivery-config.ts'
import { Setup } from '../core/contracts/setup.ts'
import { DeliveryClient } from '../delivery/control/client.ts'
import { controlSocketPath } from '../process/socket-path.ts'

/** Delivery under its supervisor, in front of a small origin: what happens to visitors when it is restarted, killed or stopped. */

const root = resolve(import.meta.dirname, '..')
const PORT = 18_700
let origin: Server
let dataDir: string
let supervisor: ChildProcess

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

const ask = (path = '/', agent?: Agent): Promise<{ status: number; cacheStatus: string }> =>
  new Promise((done, reject) => {
    request(
      { host: '127.0.0.1', port: PORT + 10, path, agent: agent ?? false, headers: { host: 'live.example' } },
      (res) =>
        res
          .resume()
          .on('end', () => done({ status: res.statusCode!, cacheStatus: String(res.headers['cache-status']) })),
    )
      .on('error', reject)
      .end()
  })
const askOrNothing = () => ask().catch(() => ({ status: 0, cacheStatus: 'refused' }))

/** Processes of delivery that this supervisor has started. */
const pids = (): number[] => {
  try {
    const found = execFileSync('pgrep', ['-P', String(supervisor.pid)], { encoding: 'utf8' })
    return found.trim().split('\n').map(Number)
  } catch {
    return []
  }
}

beforeAll(async () => {
  origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('page'))
  await new Promise<void>((done) => origin.listen(0, '127.0.0.1', done))
  dataDir = await mkdtemp(join(tmpdir(), 'zest-handover-'))
  await mkdir(join(dataDir, 'delivery'))
  const base = `http://127.0.0.1:${(origin.address() as AddressInfo).port}`
  await writeFile(join(dataDir, 'delivery/setups.json'), JSON.stringify(config(base)))
  const start = `import('./scripts/supervise.mjs').then(({ Supervisor }) => new Supervisor({}).start('delivery'))`
  supervisor = spawn(process.execPath, ['-e', start], {
    cwd: root,
    env: { ...process.env, ZEST_DATA_DIR: dataDir, ZEST_PORT: String(PORT) },
    stdio: ['ignore', 'inherit', 'inherit'],
  })
  await vi.waitUntil(async () => (await askOrNothing()).cacheStatus.includes('hit'), { timeout: 60_000 })
})
afterAll(async () => {
  supervisor.kill('SIGTERM')
  await new Promise((done) => supervisor.once('exit', done))
  origin.close()
  await rm(dataDir, { recursive: true, force: true })
})

test('a restart under load: none of 10,000 requests fails', async () => {
  const agent = new Agent({ keepAlive: true, maxSockets: 40 })
  const [before] = pids()
  let asked = 0
  const failures: unknown[] = []
  await Promise.all(
    Array.from({ length: 40 }, async () => {
      while (asked < 10_000) {
        if (++asked % 3000 === 2000) supervisor.kill('SIGHUP')
        await ask('/', agent).then(
          ({ status }) => status !== 200 && failures.push(status),
          (error: unknown) => failures.push(error),
        )
      }
    }),
  )
  await expect.poll(() => pids(), { timeout: 60_000 }).not.toContain(before)
  expect(failures).toEqual([])
  await expect.poll(async () => (await askOrNothing()).cacheStatus, { timeout: 60_000 }).toContain('hit')
  await expect.poll(() => pids().length, { timeout: 60_000 }).toBe(1)
  agent.destroy()
})

test('an answer under way ends before the process does, and the next one takes over meanwhile', async () => {
  let finish: () => void = () => undefined
  origin.removeAllListeners('request')
  origin.on('request', (req, res) => {
    if (req.url !== '/basket/slow') return void res.writeHead(200, { 'content-type': 'text/html' }).end('page')
    res.writeHead(200, { 'content-type': 'text/html' }).write('begin')
    finish = () => void res.end('end')
  })
  const [before] = pids()
  const slow = new Promise<string>((done, reject) => {
    request(
      { host: '127.0.0.1', port: PORT + 10, path: '/basket/slow', agent: false, headers: { host: 'live.example' } },
      (res) => {
        let text = ''
        res.on('data', (chunk: Buffer) => {
          text += chunk.toString()
          if (text === 'begin') supervisor.kill('SIGHUP')
        })
        res.on('end', () => done(text))
        res.on('error', reject)
      },
    ).end()
  })
  await expect.poll(() => pids().length, { timeout: 60_000 }).toBe(2)
  expect((await ask()).status).toBe(200)
  finish()
  expect(await slow).toBe('beginend')
  await expect.poll(() => pids(), { timeout: 60_000 }).not.toContain(before)
})

test('delivery that is killed is back by itself, with its store', async () => {
  await expect.poll(async () => (await askOrNothing()).cacheStatus, { timeout: 60_000 }).toContain('hit')
  // What is stored has to be on the disk before a kill can leave it there.
  await new DeliveryClient(controlSocketPath(dataDir), 60_000).purge({
    siteId: 's',
    what: { kind: 'paths', paths: ['/none'] },
    manner: 'hard',
  })
  const [before] = pids()
  process.kill(before!, 'SIGKILL')
  await expect
    .poll(async () => (await askOrNothing()).cacheStatus, { timeout: 60_000, interval: 20 })
    .toMatch(/hit|store-opening/)
  await expect.poll(async () => (await askOrNothing()).cacheStatus, { timeout: 60_000, interval: 20 }).toContain('hit')
  expect(pids()).not.toContain(before)
})

test('whatever is kept is for its own user only', async () => {
  const names = await readdir(dataDir, { recursive: true })
  const modes = await Promise.all(
    ['', ...names].map(async (name) => [name, (await stat(join(dataDir, name))).mode & 0o077] as const),
  )
  const open = modes.filter(([name, mode]) => mode !== 0 && !name.startsWith('delivery/setups.json'))
  expect(names.length).toBeGreaterThan(3)
  expect(open).toEqual([])
})
