import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import { createSecureServer, type Http2SecureServer } from 'node:http2'
import type { Server as NetServer, Socket } from 'node:net'
import { isLoopback } from '../../core/http/private-addresses.ts'
import { deliver } from './deliver.ts'
import { takeOnBehalf } from '../request/on-behalf.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import {
  HEADERS_TIMEOUT_MS,
  CHECKING_MS,
  KEEP_ALIVE_MS,
  LARGEST_HEADER_BYTES,
  MOST_CONNECTIONS,
  MOST_CONNECTIONS_OF_ONE,
  MOST_STREAMS,
  STALLED_MS,
} from '../request/limits.ts'
import type { Certificates } from './certificates.ts'
import { asksForPassedProtocol, headWithoutUpgrade, passUpgrade } from './upgrade.ts'

/** Keep one address from taking all connections. */
const limitConnections = (server: NetServer): void => {
  server.maxConnections = MOST_CONNECTIONS
  const open = new Map<string, number>()
  const counted = new WeakSet<Socket>()
  server.on('connection', (socket: Socket) => {
    // A connection may be announced again, when its request is read another time.
    if (counted.has(socket)) return
    counted.add(socket)
    const address = socket.remoteAddress ?? ''
    if (isLoopback(address)) return
    const now = (open.get(address) ?? 0) + 1
    if (now > MOST_CONNECTIONS_OF_ONE) {
      socket.destroy()
      return
    }
    open.set(address, now)
    socket.once('close', () => {
      const left = (open.get(address) ?? 1) - 1
      if (left === 0) open.delete(address)
      else open.set(address, left)
    })
  })
}

/** The answer that a connection of Node is sending; known to Node's own server only. */
const underWay = (socket: Socket): ServerResponse | null | undefined =>
  (socket as Socket & { _httpMessage?: ServerResponse | null })._httpMessage

/** Answers go out in the order of their requests (RFC 9112 §9.3.2): what was asked for before on a connection is sent first. */
const whenAnswered = (socket: Socket, next: () => void): void => {
  const answer = underWay(socket)
  if (answer == null) return next()
  answer.once('close', () => whenAnswered(socket, next))
}

/**
 * Requests that ask for another protocol: WebSocket is passed on; any other wish is ignored, and the request read once more without it (RFC 9110
 * §7.8). Node hands over the connection of each of them, whatever the protocol.
 * @param announced the event by which the server takes a connection up
 */
const handleUpgrades = (
  server: Server | Http2SecureServer,
  announced: 'connection' | 'secureConnection',
  io: DeliveryIo,
): void => {
  server.on('upgrade', (req: IncomingMessage, socket: Socket, head: Buffer) => {
    whenAnswered(socket, () => {
      if (socket.destroyed) return
      if (asksForPassedProtocol(req)) return passUpgrade(req, socket, head, io)
      socket.unshift(Buffer.concat([headWithoutUpgrade(req), head]))
      server.emit(announced, socket)
    })
  })
}

/** Where further processes of this machine hand requests on. They have held visitors to the limits already, and wait on their connections themselves. */
export const createInnerListener = (io: DeliveryIo): Server => {
  const server = createServer(
    { maxHeaderSize: 2 * LARGEST_HEADER_BYTES, headersTimeout: 0, requestTimeout: 0, keepAliveTimeout: 0 },
    (req, res) => {
      takeOnBehalf(req)
      deliver(req, res, io)
    },
  )
  server.timeout = 0
  // Taken for what it was before anything reads it.
  server.on('upgrade', (req: IncomingMessage) => takeOnBehalf(req))
  handleUpgrades(server, 'connection', io)
  return server
}

/** The public HTTP/1.1 listener. Limits keep slow and oversized requests from taking the process down. */
export const createListener = (io: DeliveryIo): Server => {
  const server = createServer(
    {
      maxHeaderSize: LARGEST_HEADER_BYTES,
      headersTimeout: HEADERS_TIMEOUT_MS,
      requestTimeout: 0,
      keepAliveTimeout: KEEP_ALIVE_MS,
      connectionsCheckingInterval: CHECKING_MS,
    },
    (req, res) => deliver(req, res, io),
  )
  server.timeout = STALLED_MS
  handleUpgrades(server, 'connection', io)
  limitConnections(server)
  return server
}

/** The public TLS listener: HTTP/2, and HTTP/1.1 for those who do not speak it (ALPN, RFC 7301). */
export const createSecureListener = (io: DeliveryIo, certificates: Certificates): Http2SecureServer => {
  const server = createSecureServer(
    {
      allowHTTP1: true,
      minVersion: 'TLSv1.2',
      maxHeaderListPairs: 200,
      maxSessionMemory: 32,
      handshakeTimeout: HEADERS_TIMEOUT_MS,
      // Browsers open about a hundred at a time; RFC 9113 §6.5.2 advises no fewer.
      settings: { maxConcurrentStreams: MOST_STREAMS },
      // Node has it for connections that speak HTTP/1.1; its types do not.
      ...({ connectionsCheckingInterval: CHECKING_MS } as object),
      SNICallback: (name, done) => {
        const context = certificates.contextFor(name.toLowerCase())
        if (context === undefined) done(new Error(`Zest Lamp serves no site named ${name}.`))
        else
          context.then(
            (found) => done(null, found),
            (error: Error) => done(error),
          )
      },
    },
    // The compatibility API of Node: requests and responses look as they do in HTTP/1.1.
    (req, res) => deliver(req as unknown as IncomingMessage, res as unknown as ServerResponse, io),
  )
  // For who speaks HTTP/1.1 over TLS: the same as on the plain port.
  Object.assign(server, {
    headersTimeout: HEADERS_TIMEOUT_MS,
    requestTimeout: 0,
    keepAliveTimeout: KEEP_ALIVE_MS,
    maxHeaderSize: LARGEST_HEADER_BYTES,
  })
  server.setTimeout(STALLED_MS)
  server.on('sessionError', () => undefined)
  handleUpgrades(server, 'secureConnection', io)
  limitConnections(server)
  return server
}
