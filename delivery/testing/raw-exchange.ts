import { createConnection, createServer, type AddressInfo, type Server, type Socket } from 'node:net'
import { connect as connectTls } from 'node:tls'

/** For tests: bytes on a connection, as no well-behaved program would send them. */

/**
 * Send bytes and read until the connection closes.
 * @param secure over TLS, with HTTP/1.1
 * @returns everything that came, as Latin-1
 */
export const rawExchange = (port: number, bytes: string | Buffer, secure = false): Promise<string> =>
  new Promise((resolve) => {
    const chunks: Buffer[] = []
    const host = '127.0.0.1'
    const socket: Socket = secure
      ? connectTls({ port, host, rejectUnauthorized: false, servername: 'live.example', ALPNProtocols: ['http/1.1'] })
      : createConnection({ port, host })
    socket.once(secure ? 'secureConnect' : 'connect', () => socket.write(bytes))
    socket.on('data', (chunk: Buffer) => chunks.push(chunk))
    socket.on('error', () => undefined)
    socket.once('close', () => resolve(Buffer.concat(chunks).toString('latin1')))
  })

/** An origin that reads and writes bytes as it pleases. */
export interface RawOrigin {
  readonly base: string
  close(): Promise<void>
}

/** @param onConnection told of each connection that is made */
export const openRawOrigin = async (onConnection: (socket: Socket) => void): Promise<RawOrigin> => {
  const sockets = new Set<Socket>()
  const server: Server = createServer((socket) => {
    sockets.add(socket)
    socket.once('close', () => sockets.delete(socket))
    socket.on('error', () => undefined)
    onConnection(socket)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    base: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: () =>
      new Promise((resolve) => {
        for (const socket of sockets) socket.destroy()
        server.close(() => resolve())
      }),
  }
}

/** Calls back with each header section that comes on a connection; whatever stands between two is taken for the next, as careless servers do. */
export const onEachHead = (socket: Socket, answer: (head: string) => void): void => {
  let text = ''
  socket.on('data', (chunk: Buffer) => {
    text += chunk.toString('latin1')
    for (let end = text.indexOf('\r\n\r\n'); end !== -1; end = text.indexOf('\r\n\r\n')) {
      const head = text.slice(0, end)
      text = text.slice(end + 4)
      answer(head)
    }
  })
}
