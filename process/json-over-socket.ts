import { request, type IncomingMessage, type ServerResponse } from 'node:http'

/** HTTP with JSON over a socket in the data directory: how control and the other processes talk. */

const LARGEST_ORDER = 16 * 1024 * 1024
const USUAL_TIMEOUT_MS = 10_000

/** @throws Error when it is too large or no JSON */
export const readJson = async (req: IncomingMessage): Promise<unknown> => {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of req) {
    size += (chunk as Buffer).length
    if (size > LARGEST_ORDER) throw new Error('The order is too large.')
    chunks.push(chunk as Buffer)
  }
  return JSON.parse(Buffer.concat(chunks).toString('utf8'))
}

export const replyJson = (res: ServerResponse, status: number, body: unknown): void => {
  res.writeHead(status, { 'content-type': 'application/json' })
  res.end(JSON.stringify(body))
}

/** The other process took an order and could not carry it out. */
export class OrderFailed extends Error {}

/** Nobody listens at the socket: the order has not been sent, so it can be sent again. */
export const notListening = (error: unknown): boolean =>
  ['ENOENT', 'ECONNREFUSED'].includes((error as NodeJS.ErrnoException).code ?? '')

/** @throws OrderFailed with what the other process says; Error of the connection */
export const askOnce = (
  socketPath: string,
  {
    method,
    path,
    body,
    timeout = USUAL_TIMEOUT_MS,
  }: { method: string; path: string; body?: unknown; timeout?: number | undefined },
): Promise<unknown> =>
  new Promise((resolve, reject) => {
    const outgoing = request({ socketPath, method, path, timeout }, (incoming) => {
      const chunks: Buffer[] = []
      incoming.on('data', (chunk: Buffer) => chunks.push(chunk))
      incoming.on('error', (error) => reject(new OrderFailed(error.message)))
      incoming.on('end', () => {
        const text = Buffer.concat(chunks).toString('utf8')
        if (incoming.statusCode === 200) resolve(JSON.parse(text))
        else reject(new OrderFailed(text))
      })
    })
    outgoing.on('timeout', () => outgoing.destroy(new Error(`no answer for ${timeout / 1000} s`)))
    outgoing.on('error', reject)
    outgoing.end(body === undefined ? undefined : JSON.stringify(body))
  })
