import { spawn, type ChildProcess } from 'node:child_process'
import { createHash } from 'node:crypto'
import { once } from 'node:events'
import { mkdtemp, mkdir, readFile, rm, writeFile } from 'node:fs/promises'
import { connect, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ObjectsSite } from '../core/contracts/objects.ts'
import { median } from '../core/stats/median.ts'
import { randomFrom } from '../core/stats/random.ts'
import type { Benchmark } from './results/result.ts'

const MB = 1_000_000
const PORT = 18_420
const ENGINE_PORT = 18_421

const encoded = (...words: string[]): string =>
  `*${words.length}\r\n${words.map((word) => `$${Buffer.byteLength(word)}\r\n${word}\r\n`).join('')}`

/** A client that counts replies of one line or of a string, and does nothing else. */
class Client {
  readonly #socket: Socket
  #replies = 0
  #wanted = 0
  #done: () => void = () => undefined
  /** Bytes of a string that is on its way, its end included. */
  #skip = 0
  #line = ''

  private constructor(socket: Socket) {
    this.#socket = socket
    socket.setNoDelay(true)
    socket.on('data', (piece: Buffer) => this.#read(piece))
  }

  static async open(port: number): Promise<Client> {
    const socket = connect(port, '127.0.0.1')
    await once(socket, 'connect')
    return new Client(socket)
  }

  #read(piece: Buffer): void {
    let at = 0
    while (at < piece.length) {
      if (this.#skip > 0) {
        const taken = Math.min(this.#skip, piece.length - at)
        this.#skip -= taken
        at += taken
        if (this.#skip === 0) this.#replies++
        continue
      }
      const end = piece.indexOf(10, at)
      if (end < 0) {
        this.#line += piece.toString('latin1', at)
        break
      }
      const line = this.#line + piece.toString('latin1', at, end)
      this.#line = ''
      at = end + 1
      if (line.startsWith('$') && !line.startsWith('$-')) this.#skip = Number(line.slice(1)) + 2
      else this.#replies++
    }
    if (this.#replies >= this.#wanted) this.#done()
  }

  async send(commands: string, replies: number): Promise<void> {
    this.#wanted = this.#replies + replies
    const done = new Promise<void>((resolve) => (this.#done = resolve))
    this.#socket.write(commands)
    await done
  }

  close(): void {
    this.#socket.destroy()
  }
}

/** The object cache in a process of its own, as it runs. */
const startCache = async (memoryBytes: number): Promise<{ child: ChildProcess; stop: () => Promise<void> }> => {
  const folder = await mkdtemp(join(tmpdir(), 'zest-bench-objects-'))
  await mkdir(join(folder, 'objects'))
  const site = ObjectsSite.parse({
    siteId: 'bench',
    name: 'bench',
    enabled: true,
    memoryBytes,
    passwordDigest: createHash('sha256').update('bench').digest('hex'),
  })
  await writeFile(join(folder, 'objects/sites.json'), JSON.stringify({ revision: 1, sites: [site] }))
  const child = spawn(process.execPath, [join(import.meta.dirname, 'objects.mjs')], {
    env: { ...process.env, ZEST_DATA_DIR: folder, ZEST_OBJECTS_PORT: String(PORT) },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  await once(child.stdout, 'data')
  return {
    child,
    stop: async () => {
      child.kill('SIGTERM')
      await once(child, 'exit')
      await rm(folder, { recursive: true, force: true })
    },
  }
}

const startEngine = async (): Promise<() => Promise<void>> => {
  const child = spawn('/usr/bin/redis-server', ['--port', String(ENGINE_PORT), '--save', '', '--dir', tmpdir()], {
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  await new Promise<void>((resolve) =>
    child.stdout.on('data', (piece: Buffer) => {
      if (piece.toString().includes('Ready to accept')) resolve()
    }),
  )
  return async () => {
    child.kill('SIGKILL')
    await once(child, 'exit')
  }
}

const PIPELINED = 100
const ROUNDS = 9

/** Commands a second: GET and SET of values of 300 bytes, one at a time or many at once. */
const opsPerSecond = async (client: Client, pipelined: number, commands: number): Promise<number> => {
  const random = randomFrom(1)
  const batches = Array.from({ length: commands / pipelined }, () =>
    Array.from({ length: pipelined }, () => {
      const key = `bench:${Math.floor(random() * 1000)}`
      return random() < 0.2 ? encoded('SET', key, 'x'.repeat(300)) : encoded('GET', key)
    }).join(''),
  )
  const begun = performance.now()
  for (const batch of batches) await client.send(batch, pipelined)
  return (commands * 1000) / (performance.now() - begun)
}

/** Commands a second against Debian's redis-server, by the same client in turn; the lower of single and pipelined. */
export const objectsOps: Benchmark = {
  names: ['objects-ops-vs-engine'],
  run: async () => {
    const cache = await startCache(64 * MB)
    const stopEngine = await startEngine()
    const [ours, theirs] = [await Client.open(PORT), await Client.open(ENGINE_PORT)]
    await ours.send(encoded('AUTH', 'bench', 'bench'), 1)
    const ratios: number[] = []
    for (const [pipelined, commands] of [
      [1, 10_000],
      [PIPELINED, 200_000],
    ] as const) {
      const pairs: number[] = []
      for (let round = 0; round < ROUNDS; round++) {
        const [a, b] = [await opsPerSecond(ours, pipelined, commands), await opsPerSecond(theirs, pipelined, commands)]
        pairs.push(a / b)
        if (round === ROUNDS - 1)
          console.log(`${pipelined} at once: ${Math.round(a)} a second, redis-server ${Math.round(b)}`)
      }
      ratios.push(median(pairs))
    }
    for (const one of [ours, theirs]) one.close()
    await Promise.all([cache.stop(), stopEngine()])
    console.log(`single ${ratios[0]?.toFixed(2)}, pipelined ${ratios[1]?.toFixed(2)}`)
    return [{ name: 'objects-ops-vs-engine', value: Math.min(...ratios), unit: 'ratio', aim: 0.5, better: 'higher' }]
  },
}

const residentBytes = async (pid: number): Promise<number> => {
  const status = await readFile(`/proc/${pid}/status`, 'utf8')
  return Number(/VmRSS:\s+(\d+) kB/.exec(status)?.[1] ?? 0) * 1024
}

const FLOOD_KEYS = 1_000_000
const BOUND = 256 * MB

/** Growth of resident memory over idle, to the bound, after a flood of a million keys of 100 to 900 bytes. */
export const objectsMemory: Benchmark = {
  names: ['objects-memory-vs-bound'],
  run: async () => {
    const cache = await startCache(BOUND)
    const client = await Client.open(PORT)
    await client.send(encoded('AUTH', 'bench', 'bench'), 1)
    await client.send(encoded('PING').repeat(10_000), 10_000)
    const idle = await residentBytes(cache.child.pid ?? 0)
    const random = randomFrom(2)
    for (let at = 0; at < FLOOD_KEYS; at += 1000) {
      const batch = Array.from({ length: 1000 }, (_, more) =>
        encoded('SET', `flood:${at + more}`, 'x'.repeat(100 + Math.floor(random() * 800))),
      )
      await client.send(batch.join(''), 1000)
    }
    const grown = (await residentBytes(cache.child.pid ?? 0)) - idle
    console.log(`idle ${Math.round(idle / MB)} MB, grown by ${Math.round(grown / MB)} MB, bound ${BOUND / MB} MB`)
    client.close()
    await cache.stop()
    return [{ name: 'objects-memory-vs-bound', value: grown / BOUND, unit: 'ratio', aim: 1.25, better: 'lower' }]
  },
}
