import type { Socket } from 'node:net'

export interface SocksTarget {
  readonly host: string
  readonly port: number
}

const VERSION = 5
const NO_AUTHENTICATION = 0
const CONNECT = 1
const ADDRESS = { ipv4: 1, name: 3, ipv6: 4 } as const
const SUCCEEDED = 0
const REFUSED = 5

/** Read exactly so many bytes, leaving what follows in the socket. */
const readExactly = async (socket: Socket, bytes: number): Promise<Buffer> => {
  for (;;) {
    const chunk = socket.read(bytes) as Buffer | null
    if (chunk !== null) {
      if (chunk.length < bytes) throw new Error('The SOCKS client hung up.')
      return chunk
    }
    if (socket.readableEnded || socket.destroyed) throw new Error('The SOCKS client hung up.')
    await new Promise<void>((resolve) => {
      socket.once('readable', resolve)
      socket.once('close', resolve)
    })
  }
}

const readAddress = async (socket: Socket, type: number): Promise<string> => {
  if (type === ADDRESS.ipv4) return [...(await readExactly(socket, 4))].join('.')
  if (type === ADDRESS.name) {
    const length = (await readExactly(socket, 1)).readUInt8(0)
    return (await readExactly(socket, length)).toString('latin1')
  }
  if (type !== ADDRESS.ipv6) throw new Error('Unknown SOCKS address type.')
  const bytes = await readExactly(socket, 16)
  return Array.from({ length: 8 }, (_, i) => bytes.readUInt16BE(i * 2).toString(16)).join(':')
}

/**
 * The server's part of a SOCKS 5 greeting and CONNECT request (RFC 1928 §3, §4, §6), without authentication.
 * @returns where to connect, and how to answer once that is done
 * @throws Error when the client speaks something else or hangs up
 */
export const acceptSocks = async (socket: Socket): Promise<{ target: SocksTarget; reply: (ok: boolean) => void }> => {
  const greeting = await readExactly(socket, 2)
  const [version, methods] = [greeting.readUInt8(0), greeting.readUInt8(1)]
  if (version !== VERSION) throw new Error('Not SOCKS 5.')
  await readExactly(socket, methods)
  socket.write(Buffer.from([VERSION, NO_AUTHENTICATION]))
  const request = await readExactly(socket, 4)
  const [command, type] = [request.readUInt8(1), request.readUInt8(3)]
  const host = await readAddress(socket, type)
  const port = (await readExactly(socket, 2)).readUInt16BE(0)
  if (command !== CONNECT) throw new Error('Only CONNECT is served.')
  const reply = (ok: boolean): void => {
    if (socket.destroyed) return
    socket.write(Buffer.from([VERSION, ok ? SUCCEEDED : REFUSED, 0, ADDRESS.ipv4, 0, 0, 0, 0, 0, 0]))
    if (!ok) socket.end()
  }
  return { target: { host, port }, reply }
}
