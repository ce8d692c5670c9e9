import { ServerResponse, type IncomingMessage } from 'node:http'
import type { Socket } from 'node:net'
import { pipeline } from 'node:stream'
import { cacheStatus } from '../../core/http/cache-status.ts'
import { endToEndFields, fieldValue, FRAMING, listMembers, withoutFields, type Fields } from '../../core/http/fields.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import type { SiteRequest } from '../request/site-request.ts'
import type { UpgradeAnswer } from '../fetch/origin-client.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import { passedRequestFields } from '../fetch/origin-request-fields.ts'
import { contentOf } from '../respond/pass-through.ts'
import { parseRequest } from '../request/parse-request.ts'
import { trialAccess } from '../request/trial-access.ts'

/** The one protocol that is passed on; RFC 9110 §7.8 lets a server ignore the others. */
const PASSED = 'websocket'

const refuse = (socket: Socket, status: number, title: string, more = ''): void => {
  socket.end(`HTTP/1.1 ${status} ${title}\r\nconnection: close\r\n${more}content-length: 0\r\n\r\n`)
}

/** Whether a request asks for a protocol that is passed on. */
export const asksForPassedProtocol = ({ headers }: IncomingMessage): boolean =>
  listMembers(headers.upgrade ?? '').some((protocol) => protocol.toLowerCase() === PASSED)

const ABOUT_UPGRADE = new Set(['upgrade', 'http2-settings'])

/**
 * The header section of a request without its wish for another protocol, as it would have been sent without. What came behind it still stands in
 * front of the connection.
 */
export const headWithoutUpgrade = ({ method, url, httpVersion, rawHeaders }: IncomingMessage): Buffer => {
  const lines = [`${method} ${url} HTTP/${httpVersion}`]
  for (let i = 0; i + 1 < rawHeaders.length; i += 2) {
    const [name, value] = [rawHeaders[i]!, rawHeaders[i + 1]!]
    if (ABOUT_UPGRADE.has(name.toLowerCase())) continue
    const kept =
      name.toLowerCase() === 'connection'
        ? listMembers(value)
            .filter((option) => !ABOUT_UPGRADE.has(option.toLowerCase()))
            .join(', ')
        : value
    lines.push(`${name}: ${kept}`)
  }
  return Buffer.from(`${lines.join('\r\n')}\r\n\r\n`, 'latin1')
}

/** Both connections are one from here on; each end waits for the other, so memory stays flat however slow one of them is. */
const join = (socket: Socket, head: Buffer, answer: UpgradeAnswer & { kind: 'switched' }): void => {
  for (const [from, to] of [
    [socket, answer.socket],
    [answer.socket, socket],
  ] as const) {
    from.setTimeout(0)
    from.setNoDelay(true)
    from.on('error', () => to.destroy())
    from.on('close', () => to.destroy())
  }
  if (answer.head.length > 0) socket.write(answer.head)
  if (head.length > 0) answer.socket.write(head)
  answer.socket.pipe(socket)
  socket.pipe(answer.socket)
}

const fieldLinesOf = (fields: Fields): string[] => fields.map(([name, value]) => `${name}: ${value}`)

/** The origin answered as usual: so do we, and close, since what the visitor has sent since is of the other protocol. */
const sendRefused = (
  req: IncomingMessage,
  socket: Socket,
  answer: UpgradeAnswer & { kind: 'refused' },
  own: Fields,
): void => {
  const res = new ServerResponse(req)
  res.shouldKeepAlive = false
  res.assignSocket(socket)
  res.once('close', () => socket.destroySoon())
  res.writeHead(answer.status, answer.statusText, [...endToEndFields(answer.fields), ...own].flat())
  pipeline(answer.body, res, (error) => {
    if (error != null) socket.destroy()
    else socket.end()
  })
}

const pass = async (
  req: IncomingMessage,
  socket: Socket,
  head: Buffer,
  { route, visitor, method, target, fields }: SiteRequest,
  io: DeliveryIo,
): Promise<void> => {
  // What goes over such a connection is not seen.
  io.sessions?.lost({ route, fields })
  const answer = await io.origin.upgrade({
    site: route.siteId,
    base: route.origin.base,
    method,
    target,
    fields: [
      ...passedRequestFields(fields, route, visitor, io.instance),
      ['connection', 'upgrade'],
      ['upgrade', PASSED],
    ],
    timeoutMs: route.origin.timeoutMs,
    lookup: route.origin.lookup,
    visitor: visitor.address,
  })
  const outcome = cacheStatus({ kind: 'passed', why: 'upgrade', status: answer.status })
  if (answer.kind === 'refused') return sendRefused(req, socket, answer, [['cache-status', outcome]])
  const told = withoutFields(endToEndFields(answer.fields), FRAMING)
  const protocol = fieldValue(answer.fields, 'upgrade') ?? PASSED
  const lines = [
    `HTTP/1.1 101 Switching Protocols`,
    ...fieldLinesOf(told),
    'connection: upgrade',
    `upgrade: ${protocol}`,
    `cache-status: ${outcome}`,
  ]
  socket.write(`${lines.join('\r\n')}\r\n\r\n`, 'latin1')
  join(socket, head, answer)
}

/**
 * Pass an upgrade to WebSocket on (RFC 9110 §7.8, RFC 6455): once the origin agrees, nothing of what flows is looked at. Never throws, like all that
 * a visitor can reach.
 */
export const passUpgrade = (req: IncomingMessage, socket: Socket, head: Buffer, io: DeliveryIo): void => {
  socket.on('error', () => socket.destroy())
  const fail = (error: unknown): void => {
    if (error instanceof OriginFailure)
      return error.kind === 'busy'
        ? refuse(socket, 503, 'Service Unavailable', 'retry-after: 5\r\n')
        : refuse(socket, 502, 'Bad Gateway')
    io.report(error, { method: req.method, target: req.url, host: req.headers.host })
    socket.destroy()
  }
  try {
    if (io.first !== undefined) return io.first.upgrade(req, socket, head)
    // RFC 6455 §4.1: a GET without content; whatever else came could not be told from what follows it.
    if (req.method !== 'GET' || contentOf(req) !== undefined) return refuse(socket, 400, 'Bad Request')
    const reading = parseRequest(req, io)
    if (reading.kind === 'refused') return refuse(socket, reading.refusal.status, reading.refusal.title)
    const door = trialAccess(reading.request)
    if (door.kind !== 'open') return refuse(socket, 403, 'Forbidden')
    pass(req, socket, head, door.request, io).catch(fail)
  } catch (error) {
    fail(error)
  }
}
