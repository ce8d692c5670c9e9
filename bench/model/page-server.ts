import { randomBytes } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import { createSecureServer, type Http2ServerRequest, type Http2ServerResponse } from 'node:http2'
import { createRequire } from 'node:module'
import type { AddressInfo } from 'node:net'
import { generate } from 'selfsigned'
import sharp from 'sharp'
import { makeUpPage, pageHtml, type PageSpec, type Piece } from './pages.ts'

type Answer = (
  req: IncomingMessage | Http2ServerRequest,
  res: (ServerResponse & { readonly http2?: never }) | Http2ServerResponse,
) => void

const FONT = createRequire(import.meta.url).resolve('@fontsource/bitter/files/bitter-latin-400-normal.woff2')

/** Serves made-up pages over HTTP/1.1 and, with TLS, over HTTP/2. */
export interface PageServer {
  /** Address of a page; hosts are names of this machine. */
  readonly urlOf: (spec: PageSpec) => string
  readonly close: () => void
}

const style = (piece: Piece, spec: PageSpec, addressOf: (piece: Piece) => string): string => {
  const font = spec.pieces.find(({ kind }) => kind === 'font')
  const imported = spec.pieces.find(({ how }) => how === 'import')
  const first = spec.pieces[0] === piece
  const rules = [
    first && imported !== undefined ? `@import "${addressOf(imported)}";` : '',
    first && font !== undefined
      ? `@font-face{font-family:Bitter;src:url(${addressOf(font)})}h1,p:nth-of-type(9n){font-family:Bitter,serif}`
      : '',
    'body{margin:0;font:16px/1.5 sans-serif}h1{margin:0}',
  ].join('')
  let text = rules
  for (let n = 0; text.length < piece.bytes; n++)
    text += `.deck-${n} .rail-${n % 7}{color:#${(n * 997) % 1000};padding:${n % 9}px}\n`
  return text
}

const script = ({ bytes, turns }: Piece): string => {
  const work = `(() => { let n = 0; for (let i = 0; i < ${turns}; i++) n = (n * 31 + i) % 1000003; globalThis.tide = n })();\n`
  return work + `/*${'x'.repeat(Math.max(0, bytes - work.length))}*/`
}

export const servePages = async (): Promise<PageServer> => {
  const font = await readFile(FONT)
  const noise = randomBytes(360 * 270 * 3)
  const picture = await sharp(noise, { raw: { width: 360, height: 270, channels: 3 } })
    .jpeg({ quality: 8 })
    .toBuffer()
  const padded = (bytes: number): Buffer =>
    Buffer.concat([picture, Buffer.alloc(Math.max(0, bytes - picture.length), 120)])
  const ports = { http: 0, https: 0 }
  const addressOf =
    (spec: PageSpec) =>
    ({ path, host }: Piece): string =>
      host === 'own' ? path : `${spec.scheme}://third.localhost:${ports[spec.scheme]}${path}`
  const bodyOf = (spec: PageSpec, piece: Piece): [string, string | Buffer] => {
    if (piece.kind === 'style') return ['text/css', style(piece, spec, addressOf(spec))]
    if (piece.kind === 'script') return ['text/javascript', script(piece)]
    return piece.kind === 'font' ? ['font/woff2', font] : ['image/jpeg', padded(piece.bytes)]
  }
  const answer: Answer = (req, res) => {
    const path = new URL(req.url ?? '/', 'http://x').pathname
    const spec = makeUpPage(Number(path.split('/')[1]))
    const piece = spec.pieces.find((one) => one.path === path)
    const [type, body] =
      piece === undefined ? ['text/html; charset=utf-8', pageHtml(spec, addressOf(spec))] : bodyOf(spec, piece)
    setTimeout(() => {
      res.setHeader('content-type', type)
      res.setHeader('access-control-allow-origin', '*')
      res.setHeader('content-length', Buffer.byteLength(body))
      res.end(body)
    }, piece?.waitMs ?? spec.waitMs)
  }
  const plain = createServer(answer as (req: IncomingMessage, res: ServerResponse) => void)
  const pair = await generate([{ name: 'commonName', value: 'localhost' }])
  const secure = createSecureServer({ key: pair.private, cert: pair.cert, allowHTTP1: true }, answer as never)
  await new Promise<void>((resolve) => plain.listen(0, '127.0.0.1', resolve))
  await new Promise<void>((resolve) => secure.listen(0, '127.0.0.1', resolve))
  ports.http = (plain.address() as AddressInfo).port
  ports.https = (secure.address() as AddressInfo).port
  return {
    urlOf: ({ scheme, seed }) => `${scheme}://quay.localhost:${ports[scheme]}/${seed}/`,
    close: () => {
      plain.closeAllConnections()
      plain.close()
      secure.close()
    },
  }
}
