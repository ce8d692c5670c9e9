import type { IncomingMessage } from 'node:http'
import type { TLSSocket } from 'node:tls'
import { endToEndFields, fieldsFromRaw, withoutFields, type Fields } from '../../core/http/fields.ts'

/** The field in which a process of this cluster says whose request it hands on. It counts on the socket between them, and nowhere else. */
const ON_BEHALF_FIELD = 'zest-on-behalf'

/** How a visitor is connected to us. */
export interface Connection {
  readonly address: string
  readonly scheme: 'http' | 'https'
  /** Major version of HTTP. */
  readonly version: number
}

const handedOn = new WeakMap<IncomingMessage, Connection>()

/** How whoever sent a request is connected: to this process, or to the one that hands it on. */
export const connectionOf = (req: IncomingMessage): Connection =>
  handedOn.get(req) ?? {
    address: req.socket.remoteAddress ?? '',
    scheme: (req.socket as TLSSocket).encrypted === true ? 'https' : 'http',
    version: req.httpVersionMajor,
  }

const OWN = new Set([ON_BEHALF_FIELD])
/** Answered by the server that reads the request (RFC 9110 §10.1.1), or about the bytes of one connection. */
const OF_ONE_CONNECTION = new Set([ON_BEHALF_FIELD, 'content-length', 'expect'])

/**
 * Fields with which a visitor's request is handed on to another process of this cluster, without those of its connection and of its framing.
 * @param fields in the form of HTTP/1.1
 */
export const fieldsOnBehalf = (req: IncomingMessage, fields: Fields): Fields => {
  const { address, scheme, version } = connectionOf(req)
  return [
    ...withoutFields(endToEndFields(fields), OF_ONE_CONNECTION),
    [ON_BEHALF_FIELD, `${scheme} ${version} ${address}`],
  ]
}

/** Take a request that another process of this cluster hands on for what it was there. Call it only where nobody else can send requests. */
export const takeOnBehalf = (req: IncomingMessage): void => {
  const [scheme, version, address] = String(req.headers[ON_BEHALF_FIELD] ?? '').split(' ')
  handedOn.set(req, {
    address: address ?? '',
    scheme: scheme === 'https' ? 'https' : 'http',
    version: Number(version) || 1,
  })
  Reflect.deleteProperty(req.headers, ON_BEHALF_FIELD)
  req.rawHeaders = withoutFields(fieldsFromRaw(req.rawHeaders), OWN).flat()
}
