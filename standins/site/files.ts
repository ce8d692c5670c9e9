import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { join } from 'node:path'

/** Styles, scripts, fonts and pictures, with the fields that a neglected site gives them: no lifetime. */

const TYPES: Record<string, string> = {
  css: 'text/css',
  js: 'application/javascript',
  woff: 'font/woff',
  jpg: 'image/jpeg',
}

export const sendAsset = (req: IncomingMessage, res: ServerResponse, bytes: Buffer | undefined, name: string): void => {
  if (bytes === undefined) {
    res.writeHead(404).end()
    return
  }
  const etag = `"${createHash('sha256').update(bytes).digest('base64url').slice(0, 16)}"`
  if (req.headers['if-none-match'] === etag) {
    res.writeHead(304, { etag }).end()
    return
  }
  res.writeHead(200, {
    'content-type': TYPES[name.split('.').pop()!]!,
    'content-length': bytes.length,
    etag,
  })
  res.end(req.method === 'HEAD' ? undefined : bytes)
}

export const sendPicture = async (
  req: IncomingMessage,
  res: ServerResponse,
  folder: string,
  name: string,
): Promise<void> => {
  const path = join(folder, name)
  const info = /^[\w-]+\.jpg$/.test(name) ? await stat(path).catch(() => undefined) : undefined
  if (info === undefined) return void res.writeHead(404).end()
  res.writeHead(200, { 'content-type': 'image/jpeg', 'content-length': info.size })
  if (req.method === 'HEAD') res.end()
  else createReadStream(path).pipe(res)
}
