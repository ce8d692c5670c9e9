import type { ServerResponse } from 'node:http'
import { constants, type Http2Stream } from 'node:http2'

/** Fields that HTTP/2 does not have (RFC 9113 §8.2.2). */
const NOT_IN_HTTP2 = new Set(['connection', 'keep-alive', 'proxy-connection', 'transfer-encoding', 'upgrade'])

/** Names and values in turn as an object; repeated names become lists. */
const grouped = (flat: readonly string[]): Record<string, string | string[]> => {
  const fields: Record<string, string | string[]> = {}
  for (let i = 0; i < flat.length; i += 2) {
    const [name, value] = [flat[i]!, flat[i + 1]!]
    if (NOT_IN_HTTP2.has(name)) continue
    const before = fields[name]
    fields[name] = before === undefined ? value : [...(Array.isArray(before) ? before : [before]), value]
  }
  return fields
}

/**
 * Status line and fields of an answer, whatever the version of HTTP. The HTTP/1.1 response of Node takes names and values in turn, which is
 * quickest; the one of HTTP/2 would keep only the last of repeated names.
 * @param flat names and values in turn
 */
export const writeHead = (res: ServerResponse, status: number, flat: string[], statusText?: string): void => {
  if (res.req.httpVersionMajor >= 2) res.writeHead(status, grouped(flat))
  else if (statusText === undefined) res.writeHead(status, flat)
  else res.writeHead(status, statusText, flat)
}

/** Pieces of a stream may be hours apart; the connection, or the stream of HTTP/2, is theirs for as long as both ends want it. */
export const withoutIdleLimit = (res: ServerResponse): void => {
  const { stream } = res as ServerResponse & { readonly stream?: Http2Stream }
  if (stream === undefined) res.socket?.setTimeout(0)
  else stream.setTimeout(0)
}

/** Break an answer off, so that what was sent of it cannot be taken for the whole: the connection in HTTP/1.1, the stream in HTTP/2. */
export const cut = (res: ServerResponse): void => {
  const { stream } = res as ServerResponse & { readonly stream?: Http2Stream }
  if (stream === undefined) res.destroy()
  else stream.close(constants.NGHTTP2_INTERNAL_ERROR)
}
