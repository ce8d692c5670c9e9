import { createServer, type Server } from 'node:net'
import { connect, type AddressInfo, type Socket } from 'node:net'
import { afterEach, describe, expect, test } from 'vitest'
import { transferMs } from '../../core/model/transport/slow-start.ts'
import { Bottleneck } from '../../core/model/transport/bottleneck.ts'
import { SteppedScheduler } from '../../core/model/transport/scheduler.ts'
import { LinkRelay } from './link-relay.ts'
import { Sender } from './sender.ts'

/** When the last byte of each of several transfers arrives, ms, begun at once on one link. */
const arrivals = (sizes: readonly number[], roundTripMs: number, kbps: number): number[] => {
  const time = new SteppedScheduler()
  const link = new Bottleneck({ bytesPerMs: kbps / 8 }, time)
  const done: number[] = []
  sizes.forEach((size, index) => {
    let got = 0
    const sender = new Sender(link, time, roundTripMs / 2, {
      deliver: (bytes) => {
        got += bytes.length
        if (got === size) done[index] = time.now()
      },
      wantsMore: () => undefined,
    })
    sender.push(Buffer.alloc(size))
  })
  time.run()
  return done
}

/** Header bytes make a segment of 1460 bytes cost 1500 on the link. */
const overhead = 1500 / 1460

describe('link simulator, in stepped time', () => {
  test.each([
    [10_000, 100, 8000],
    [100_000, 100, 8000],
    [1_000_000, 100, 8000],
    [1_000_000, 300, 2000],
    [3_000_000, 20, 40_000],
    [500_000, 70, 9000],
  ])(
    '%i bytes over %i ms and %i kbit/s take the time of the slow-start formula (RFC 5681, RFC 6928)',
    (bytes, rtt, kbps) => {
      const [arrived] = arrivals([bytes], rtt, kbps)
      // The formula counts the request's way too, which is half a round trip more.
      const formula = transferMs(bytes * overhead, { roundTripMs: rtt, downBitsPerS: kbps * 1000 }, 10 * 1500) - rtt / 2
      expect(arrived! / formula).toBeGreaterThan(0.95)
      expect(arrived! / formula).toBeLessThan(1.05)
    },
  )

  test('the delivered rate is within 5 % of the set rate', () => {
    const bytes = 5_000_000
    const [arrived] = arrivals([bytes], 40, 10_000)
    const rate = (bytes * overhead * 8) / arrived!
    expect(rate / 10_000).toBeGreaterThan(0.95)
    expect(rate / 10_000).toBeLessThanOrEqual(1)
  })

  test('several connections share one bottleneck', () => {
    const alone = arrivals([1_000_000], 40, 8000)[0]!
    const together = arrivals([1_000_000, 1_000_000, 1_000_000], 40, 8000)
    expect(Math.max(...together) / alone).toBeGreaterThan(2.8)
    expect(Math.max(...together) / alone).toBeLessThan(3.2)
  })

  /** Mathis, Semke, Mahdavi, Ott 1997: a long transfer with loss p runs at MSS / RTT · 1.22 / √p, whatever the link could do. */
  test.each([0.005, 0.01, 0.02])(
    'with a loss of %f a long transfer runs at the rate that congestion avoidance allows',
    (share) => {
      const bytes = 6_000_000
      const [roundTripMs, kbps] = [60, 500_000]
      const time = new SteppedScheduler()
      let state = 11
      const loses = () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32 < share
      const link = new Bottleneck({ bytesPerMs: kbps / 8, loses }, time)
      let got = 0
      const sender = new Sender(link, time, roundTripMs / 2, {
        deliver: ({ length }) => (got += length),
        wantsMore: () => undefined,
      })
      sender.push(Buffer.alloc(bytes))
      const tookMs = time.run()
      expect(got).toBe(bytes)
      const allowed = ((1460 / (roundTripMs / 1000)) * 1.22) / Math.sqrt(share)
      expect(bytes / (tookMs / 1000) / allowed).toBeGreaterThan(0.6)
      expect(bytes / (tookMs / 1000) / allowed).toBeLessThan(1.5)
    },
  )
  test('what follows a lost segment waits for it, and all comes in order', () => {
    const time = new SteppedScheduler()
    let turn = 0
    const link = new Bottleneck({ bytesPerMs: 1000, loses: () => ++turn % 7 === 3 }, time)
    const chunks: Buffer[] = []
    const sender = new Sender(link, time, 20, {
      deliver: (chunk) => void chunks.push(chunk),
      wantsMore: () => undefined,
    })
    const sent = Buffer.from(Array.from({ length: 90_000 }, (_, i) => (i * 31) & 255))
    sender.push(sent)
    time.run()
    expect(Buffer.concat(chunks).equals(sent)).toBe(true)
  })

  test('the first bytes arrive half a round trip after they were sent', () => {
    expect(arrivals([1000], 200, 100_000)[0]!).toBeCloseTo(100 + (1040 * 8) / 100_000, 3)
  })
})

describe('link relay, over real sockets', () => {
  let relay: LinkRelay | undefined
  let server: Server | undefined
  afterEach(async () => {
    await relay?.close()
    server?.close()
  })

  const serve = (onConnection: (socket: Socket) => void): Promise<number> => {
    server = createServer({ allowHalfOpen: true }, onConnection)
    return new Promise((resolve) =>
      server!.listen(0, '127.0.0.1', () => resolve((server!.address() as AddressInfo).port)),
    )
  }
  /** Open a connection through the relay as a SOCKS 5 client with a host name (RFC 1928 §4). */
  const through = async (relayPort: number, host: string, port: number): Promise<{ socket: Socket; code: number }> => {
    const socket = connect(relayPort, '127.0.0.1')
    await new Promise((resolve) => socket.once('connect', resolve))
    const next = (): Promise<Buffer> => new Promise((resolve) => socket.once('data', resolve))
    socket.write(Buffer.from([5, 1, 0]))
    await next()
    const name = Buffer.from(host)
    socket.write(Buffer.concat([Buffer.from([5, 1, 0, 3, name.length]), name, Buffer.from([port >> 8, port & 255])]))
    return { socket, code: (await next())[1]! }
  }

  test('bytes keep their order and none is lost, both ways, to the end', async () => {
    const port = await serve((socket) => socket.pipe(socket))
    relay = new LinkRelay({ privateAddresses: 'allowed', roundTripMs: 4, downKbps: 200_000, upKbps: 200_000 })
    const { socket } = await through(await relay.listen(), 'echo.localhost', port)
    const sent = Buffer.from(Array.from({ length: 400_000 }, (_, i) => (i * 31) & 255))
    const chunks: Buffer[] = []
    const ended = new Promise((resolve) => socket.once('end', resolve))
    socket.on('data', (chunk: Buffer) => chunks.push(chunk))
    socket.end(sent)
    await ended
    expect(Buffer.concat(chunks).equals(sent)).toBe(true)
  })

  /** Times of a byte to the server and back. */
  const roundTrips = async (socket: Socket, count: number): Promise<number[]> => {
    const times: number[] = []
    for (let n = 0; n < count; n++) {
      const begun = performance.now()
      const back = new Promise((resolve) => socket.once('data', resolve))
      socket.write('x')
      await back
      times.push(performance.now() - begun)
    }
    return times
  }
  test.each([20, 60, 150])('the round trip is within 2 ms of %i ms', async (roundTripMs) => {
    const port = await serve((socket) => socket.pipe(socket))
    relay = new LinkRelay({ privateAddresses: 'allowed', roundTripMs, downKbps: 100_000, upKbps: 100_000 })
    const { socket } = await through(await relay.listen(), 'echo.localhost', port)
    // The quickest of some: a busy machine only ever adds.
    expect(Math.abs(Math.min(...(await roundTrips(socket, 15))) - roundTripMs)).toBeLessThan(2)
    socket.destroy()
  })
  test.each([4000, 20_000])('the delivered rate is within 5 %% of %i kbit/s', async (downKbps) => {
    const bytes = downKbps * 100
    const port = await serve((socket) => socket.end(Buffer.alloc(bytes)))
    relay = new LinkRelay({ privateAddresses: 'allowed', roundTripMs: 10, downKbps, upKbps: 10_000 })
    const { socket } = await through(await relay.listen(), 'rate.localhost', port)
    let got = 0
    let first: number | undefined
    const ended = new Promise((resolve) => socket.once('end', resolve))
    socket.on('data', ({ length }: Buffer) => {
      // Slow start is over after the first tenth.
      got += length
      if (got > bytes / 10) first ??= performance.now() - (got - bytes / 10) / ((downKbps / 8) * (1460 / 1500))
    })
    await ended
    const rate = (0.9 * bytes * overhead * 8) / (performance.now() - first!)
    expect(rate / downKbps).toBeGreaterThan(0.95)
    expect(rate / downKbps).toBeLessThan(1.05)
  })
  test('a host that stands farther has its own round trip, on the same link', async () => {
    const port = await serve((socket) => socket.pipe(socket))
    relay = new LinkRelay({
      privateAddresses: 'allowed',
      roundTripMs: 10,
      roundTripsByHost: { 'far.localhost': 90 },
      downKbps: 100_000,
      upKbps: 100_000,
    })
    const relayPort = await relay.listen()
    const near = await through(relayPort, 'near.localhost', port)
    const far = await through(relayPort, 'far.localhost', port)
    expect(Math.abs(Math.min(...(await roundTrips(near.socket, 9))) - 10)).toBeLessThan(2)
    expect(Math.abs(Math.min(...(await roundTrips(far.socket, 9))) - 90)).toBeLessThan(2)
    near.socket.destroy()
    far.socket.destroy()
  })
  test('a name that no resolver knows is connected to where it is told', async () => {
    const port = await serve((socket) => socket.pipe(socket))
    relay = new LinkRelay({
      privateAddresses: 'allowed',
      roundTripMs: 4,
      downKbps: 100_000,
      upKbps: 100_000,
      connectTo: { 'www.quay.example:80': `127.0.0.1:${port}` },
    })
    const { socket, code } = await through(await relay.listen(), 'www.quay.example', 80)
    expect(code).toBe(0)
    expect((await roundTrips(socket, 1)).length).toBe(1)
    socket.destroy()
  })

  test('a server that is not there is refused (RFC 1928 §6)', async () => {
    relay = new LinkRelay({ privateAddresses: 'allowed', roundTripMs: 4, downKbps: 100_000, upKbps: 100_000 })
    const { code } = await through(await relay.listen(), '127.0.0.1', 1)
    expect(code).not.toBe(0)
  })
})
