import { Agent, request, type ClientRequest, type IncomingMessage, type ServerResponse } from 'node:http'
import type { ServerHttp2Stream } from 'node:http2'
import { connect, type Socket } from 'node:net'
import { pipeline } from 'node:stream/promises'
import { asciiTarget } from '../../core/http/ascii-target.ts'
import { endToEndFields, fieldsFromRaw, type Fields } from '../../core/http/fields.ts'
import { isSafeMethod } from '../../core/http/invalidation.ts'
import { isStream } from '../../core/http/streams.ts'
import { inBackground } from '../../core/in-background.ts'
import { fieldsOnBehalf } from '../request/on-behalf.ts'
import { readFields } from '../request/parse-request.ts'
import { contentOf } from '../respond/pass-through.ts'
import { problemPage } from '../respond/problem-page.ts'
import { flat } from '../respond/response-fields.ts'
import { cut, withoutIdleLimit, writeHead } from '../respond/write-head.ts'

/** The first process is started again at once when it dies; so long its visitors wait here, ms. */
const LONGEST_WAIT_MS = 10_000
const BETWEEN_TRIES_MS = 50
/** Nobody listens, or nobody does any more. */
const NOT_THERE = new Set(['ENOENT', 'ECONNREFUSED'])

const CONNECTIONS = { keepAlive: true, maxFreeSockets: 256 }

/** Has requests answered by the first process, over a socket of its own, byte for byte as it would answer itself. */
export class PassOn {
  readonly #socketPath: string
  readonly #report: (error: unknown) => void
  // The other end never closes a connection that waits, so none is met by a request on its way.
  #agent = new Agent(CONNECTIONS)

  constructor(socketPath: string, report: (error: unknown) => void) {
    this.#socketPath = socketPath
    this.#report = report
  }

  close(): void {
    this.#agent.destroy()
  }

  /** Another process may have taken the first one's place: what waits for requests is connected to the last one. */
  reconnect(): void {
    const waiting = Object.values(this.#agent.freeSockets).flatMap((sockets) => sockets ?? [])
    this.#agent = new Agent(CONNECTIONS)
    for (const socket of waiting) socket.destroy()
  }

  /** Have a request answered by the first process. Resolves when the answer has ended, however it did. */
  async pass(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const deadline = performance.now() + LONGEST_WAIT_MS
    let died = 0
    while (!res.destroyed) {
      const outcome = await this.#try(req, res)
      if (outcome === 'answered') return
      if (outcome === 'died') died++
      // Whatever ends the process that answers it is not asked for again and again.
      if (died > 1 || performance.now() > deadline) return sendAway(res)
      await new Promise((resolve) => setTimeout(resolve, BETWEEN_TRIES_MS))
    }
  }

  /** @returns 'not-there' where nobody took it, 'died' where who had taken it did; nothing of the request was used up in either case */
  #try(req: IncomingMessage, res: ServerResponse): Promise<'answered' | 'not-there' | 'died'> {
    const content = contentOf(req)
    const outgoing = request({
      socketPath: this.#socketPath,
      agent: this.#agent,
      method: req.method ?? 'GET',
      path: asciiTarget(req.url ?? '/', req.httpVersionMajor >= 2 ? 'utf8' : 'latin1'),
      headers: flat([...fieldsOnBehalf(req, readFields(req)), ...framing(req)]),
    })
    const gone = (): void => void outgoing.destroy()
    res.once('close', gone)
    return new Promise<'answered' | 'not-there' | 'died'>((resolve) => {
      let begun = false
      afterConnecting(outgoing, () => {
        begun = true
        if (content === undefined) return void outgoing.end()
        // Its end without all of its content is told by the connection.
        inBackground(pipeline(content.stream, outgoing), () => undefined)
      })
      outgoing.on('information', ({ statusCode, rawHeaders }) => {
        if (statusCode === 103) sendHints(res, fieldsFromRaw(rawHeaders))
      })
      outgoing.on('response', (answer) => {
        inBackground(sendAnswer(req, res, answer), (error) => {
          this.#report(error)
          answer.destroy()
          cut(res)
        })
        answer.once('close', () => resolve('answered'))
      })
      outgoing.on('error', (error: NodeJS.ErrnoException) => {
        if (res.destroyed || res.headersSent) return resolve('answered')
        const unused = NOT_THERE.has(error.code ?? '') || !begun
        if (unused) return resolve('not-there')
        // It died while it answered; what changes nothing may be asked for once more.
        if (content === undefined && isSafeMethod(req.method ?? '')) return resolve('died')
        sendAway(res)
        resolve('answered')
      })
    }).finally(() => res.off('close', gone))
  }

  /** Join a connection that asks for another protocol with one to the first process, which reads the request and answers it. */
  upgrade(req: IncomingMessage, socket: Socket, head: Buffer): void {
    const there = connect(this.#socketPath)
    for (const [from, to] of [
      [socket, there],
      [there, socket],
    ] as const) {
      from.setTimeout(0)
      from.setNoDelay(true)
      from.on('error', () => to.destroy())
      from.on('close', () => to.destroy())
    }
    const fields: Fields = [
      ...fieldsOnBehalf(req, readFields(req)),
      ...framing(req),
      ['connection', 'upgrade'],
      ['upgrade', req.headers.upgrade ?? ''],
    ]
    const lines = [
      `${req.method} ${asciiTarget(req.url ?? '/', 'latin1')} HTTP/1.1`,
      ...fields.map((one) => one.join(': ')),
    ]
    there.write(`${lines.join('\r\n')}\r\n\r\n`, 'latin1')
    if (head.length > 0) there.write(head)
    there.pipe(socket)
    socket.pipe(there)
  }
}

/** Nothing of the request may be used up before there is somebody to take it. */
const afterConnecting = (outgoing: ClientRequest, begin: () => void): void => {
  outgoing.once('socket', (socket: Socket) => {
    if (socket.connecting) socket.once('connect', begin)
    else begin()
  })
}

/** How the content of a request is framed, which is never what the visitor wrote (RFC 9112 §6.3). */
const framing = (req: IncomingMessage): Fields => {
  const content = contentOf(req)
  if (content === undefined)
    return req.headers['content-length'] === undefined && isSafeMethod(req.method ?? '')
      ? []
      : [['content-length', '0']]
  return content.length === undefined
    ? [['transfer-encoding', 'chunked']]
    : [['content-length', String(content.length)]]
}

const sendHints = (res: ServerResponse, fields: Fields): void => {
  const { stream } = res as ServerResponse & { readonly stream?: ServerHttp2Stream }
  if (stream === undefined || stream.closed || stream.destroyed || res.headersSent) return
  const link = fields.filter(([name]) => name === 'link').map(([, value]) => value)
  stream.additionalHeaders({ ':status': 103, link })
}

const WITHOUT_BODY = new Set([204, 205, 304])

/** Send on what the first process has answered, as it comes. */
const sendAnswer = async (req: IncomingMessage, res: ServerResponse, answer: IncomingMessage): Promise<void> => {
  const fields = fieldsFromRaw(answer.rawHeaders)
  const status = answer.statusCode ?? 502
  const sent = endToEndFields(fields)
  // What follows a request that was not read to its end cannot be told from it.
  const closes = req.httpVersionMajor < 2 && !req.complete && /\bclose\b/i.test(answer.headers.connection ?? '')
  writeHead(res, status, flat(closes ? [...sent, ['connection', 'close']] : sent), answer.statusMessage)
  if (req.method === 'HEAD' || WITHOUT_BODY.has(status)) {
    answer.resume()
    res.end()
    return
  }
  // Events may be hours apart; of anything else, a reader who has stopped reading must not hold a connection to the origin.
  if (isStream(fields)) withoutIdleLimit(res)
  await pipeline(answer, res).catch(() => cut(res))
}

const sendAway = (res: ServerResponse): void => {
  if (res.destroyed || res.headersSent) return
  const body = problemPage('This site is being started again', 'Please try again in a few seconds.')
  const fields: Fields = [
    ['content-type', 'text/html; charset=utf-8'],
    ['content-length', String(Buffer.byteLength(body))],
    ['cache-control', 'no-store'],
    ['retry-after', '5'],
    ['cache-status', 'zest-lamp; detail=starting'],
  ]
  writeHead(res, 503, flat(fields))
  res.end(body)
}
