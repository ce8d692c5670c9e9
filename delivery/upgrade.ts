import type { IncomingMessage } from 'node:http'
import type { Socket } from 'node:net'
import { cacheStatus } from '../core/http/cache-status.ts'
import { fieldValue } from '../core/http/fields.ts'
import type { DeliveryIo } from './exchange.ts'
import { passedRequestFields } from './origin/request-fields.ts'
import { readRequest } from './reading.ts'
import { trialDoor } from './trial-door.ts'

const refuse = (socket: Socket, status: number, title: string): void => {
  socket.end(`HTTP/1.1 ${status} ${title}\r\nconnection: close\r\ncontent-length: 0\r\n\r\n`)
}

/**
 * Pass an upgrade on (RFC 9110 §7.8; WebSocket, RFC 6455): once the origin agrees, both connections are one and nothing of what flows is looked at.
 * Each end waits for the other, so memory stays flat however slow one of them is.
 */
export const passUpgrade = async (
  req: IncomingMessage,
  socket: Socket,
  head: Buffer,
  io: DeliveryIo,
): Promise<void> => {
  socket.on('error', () => socket.destroy())
  const reading = readRequest(req, io)
  if (reading.kind === 'refused') return refuse(socket, reading.refusal.status, reading.refusal.title)
  const door = trialDoor(reading.request)
  if (door.kind !== 'open') return refuse(socket, 403, 'Forbidden')
  const { route, visitor, method, target, fields } = door.request
  const protocol = fieldValue(fields, 'upgrade') ?? ''
  const answer = await io.origin
    .upgrade({
      base: route.origin.base,
      method,
      target,
      fields: [
        ...passedRequestFields(fields, route, visitor, io.instance),
        ['connection', 'upgrade'],
        ['upgrade', protocol],
      ],
      timeoutMs: route.origin.timeoutMs,
    })
    .catch(() => undefined)
  if (answer === undefined) return refuse(socket, 502, 'Bad Gateway')
  const own = `cache-status: ${cacheStatus({ kind: 'passed', why: 'upgrade', status: answer.status })}`
  const lines = answer.fields.map(([name, value]) => `${name}: ${value}`)
  socket.write(
    [`HTTP/1.1 ${answer.status} ${answer.statusText}`, ...lines, own, '', ''].join('\r\n'),
    'latin1',
  )
  if (answer.kind === 'refused') {
    answer.body.pipe(socket)
    return
  }
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
