import { createReadStream, createWriteStream } from 'node:fs'
import { mkdir, rename, rm, stat } from 'node:fs/promises'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'

/** A place for backups that is not the machine of the site: WebDAV (RFC 4918) as far as files in one folder go. */
const port = Number(process.env['ZEST_PORT'] ?? 8400) + 13
const folder = join(process.env['ZEST_DATA_DIR'] ?? './data', 'demo', 'storage')
const AUTHORIZATION = `Basic ${Buffer.from('keeper:storm lantern').toString('base64')}`
await mkdir(folder, { recursive: true, mode: 0o700 })

const fileOf = (address: string | undefined): string | undefined => {
  const name = decodeURIComponent(new URL(address ?? '/', 'http://storage').pathname.slice(1))
  return /^[\w.][\w.-]{0,200}$/.test(name) ? join(folder, name) : undefined
}
const isThere = (path: string): Promise<boolean> =>
  stat(path).then(
    () => true,
    () => false,
  )

type Act = (path: string, req: IncomingMessage, res: ServerResponse) => Promise<number>
const ACTS: Record<string, Act> = {
  PUT: async (path, req) => {
    await pipeline(req, createWriteStream(path, { mode: 0o600 }))
    return 201
  },
  GET: async (path, _req, res) => {
    const { size } = await stat(path)
    res.writeHead(200, { 'content-type': 'application/octet-stream', 'content-length': String(size) })
    await pipeline(createReadStream(path), res)
    return 200
  },
  DELETE: async (path) => {
    await rm(path)
    return 204
  },
  MOVE: async (path, req) => {
    const to = fileOf(String(req.headers.destination ?? ''))
    if (to === undefined) return 400
    const before = await isThere(to)
    await rename(path, to)
    return before ? 204 : 201
  },
}

const answer = async (req: IncomingMessage, res: ServerResponse): Promise<void> => {
  const end = (status: number, fields: Record<string, string> = {}): void => void res.writeHead(status, fields).end()
  if (req.headers.authorization !== AUTHORIZATION) return end(401, { 'www-authenticate': 'Basic realm="storage"' })
  if (req.method === 'PROPFIND') return end(207, { 'content-type': 'application/xml' })
  const [act, path] = [ACTS[req.method ?? ''], fileOf(req.url)]
  if (act === undefined) return end(405)
  if (path === undefined) return end(403)
  if (req.method !== 'PUT' && !(await isThere(path))) return end(404)
  const status = await act(path, req, res)
  if (!res.headersSent) end(status)
}

createServer((req, res) => {
  answer(req, res).catch((error: unknown) => {
    // Whoever has the last byte may go.
    if ((error as NodeJS.ErrnoException).code === 'ERR_STREAM_PREMATURE_CLOSE') return void res.destroy()
    console.error(error)
    if (res.headersSent) res.destroy()
    else res.writeHead(500).end()
  })
}).listen(port, '127.0.0.1', () => console.log(`demo storage ready on port ${port}`))
