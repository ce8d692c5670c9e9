import { createServer, type Server, type Socket } from 'node:net'
import type { CopiedAddress } from './copy-site.ts'

/** Requests of a rehearsal have no body and few fields; more is none of ours. */
const MOST_BYTES = 64 * 1024

/** Of the copied answer, what another server writes anew. */
const NOT_COPIED = new Set([
  'connection',
  'content-encoding',
  'content-length',
  'date',
  'keep-alive',
  'server',
  'set-cookie',
  'status',
  'transfer-encoding',
])

/** A copied answer as a CGI program gives it (RFC 3875 §6). */
const documentOf = ({ answer }: CopiedAddress): Buffer => {
  const lines = [
    `Status: ${answer.status}`,
    ...[...answer.fields].filter(([name]) => !NOT_COPIED.has(name)).map(([name, value]) => `${name}: ${value}`),
    ...answer.setCookies.map((line) => `set-cookie: ${line}`),
  ]
  return Buffer.concat([Buffer.from(`${lines.join('\r\n')}\r\n\r\n`, 'latin1'), answer.body])
}

const NOT_COPIED_ANSWER = Buffer.from('Status: 404\r\ncontent-type: text/plain\r\n\r\nNot part of this rehearsal.')

/**
 * The address that a request asks for, once its head is here: a netstring of names and values, each ended by a zero (SCGI; REQUEST_URI is common
 * practice). undefined: more has to come.
 * @throws Error when it is no such request
 */
const requestedAddress = (received: Buffer): string | undefined => {
  const colon = received.indexOf(':')
  if (colon === -1 && received.length < 8) return undefined
  const length = Number(received.subarray(0, colon).toString('latin1'))
  if (colon === -1 || !Number.isInteger(length) || length > MOST_BYTES) throw new Error('no SCGI request')
  if (received.length < colon + 1 + length) return undefined
  const words = received
    .subarray(colon + 1, colon + 1 + length)
    .toString('latin1')
    .split('\0')
  return words.find((_value, at) => at % 2 === 1 && words[at - 1] === 'REQUEST_URI') ?? ''
}

const answer = (socket: Socket, byPath: ReadonlyMap<string, CopiedAddress>): void => {
  let received = Buffer.alloc(0)
  socket.on('error', () => socket.destroy())
  socket.on('data', (chunk: Buffer) => {
    received = Buffer.concat([received, chunk])
    try {
      const address = requestedAddress(received)
      if (address === undefined) return
      const copied = byPath.get(address)
      socket.end(copied === undefined ? NOT_COPIED_ANSWER : documentOf(copied))
    } catch {
      // Somebody else of this machine: there is nothing to answer.
      socket.destroy()
    }
  })
}

/** Stands for the content system of a copied site: hands out answers by the address that was asked, and runs nothing. */
export const copiesServer = (copied: readonly CopiedAddress[]): Server => {
  const byPath = new Map(copied.map((one) => [one.path, one]))
  return createServer((socket) => answer(socket, byPath))
}
