import { createServer } from 'node:http'

/** Another company's host: a tag that counts visits, and a film player that weighs more than it should. */
const port = Number(process.env['ZEST_PORT'] ?? 8400) + 2

const TAG = `(function () {
  var started = Date.now()
  document.cookie = 'analytics_seen=1; path=/; max-age=604800'
  ${Array.from({ length: 120 }, (_, i) => `function measure${i}(value) { return value * ${i + 1} % 97 }`).join('\n  ')}
  window.addEventListener('load', function () {
    new Image().src = 'http://third.localhost:${port}/count.gif?took=' + (Date.now() - started)
  })
})()
`
const PLAYER = `/* film player */\n${Array.from({ length: 900 }, (_, i) => `function part${i}(frame) { return (frame + ${i}) % ${i + 3} }`).join('\n')}\ndocument.querySelector('button').addEventListener('click', function () { document.body.className = 'playing' })\n`
const EMBED = `<!doctype html><html lang="en"><meta charset="utf-8"><title>A film from the deck</title><link rel="stylesheet" href="/player.css"><body><button aria-label="Play">▶</button><script src="/player.js"></script></body></html>`
const GIF = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')

const FILES: Record<string, [string, string | Buffer]> = {
  '/tag.js': ['application/javascript', TAG],
  '/embed/deck': ['text/html; charset=utf-8', EMBED],
  '/player.css': [
    'text/css',
    'body{margin:0;background:#0d1f29;display:grid;place-items:center;height:100vh}button{font-size:3rem;background:none;border:0;color:#fff}',
  ],
  '/player.js': ['application/javascript', PLAYER],
  '/count.gif': ['image/gif', GIF],
}

const server = createServer((req, res) => {
  const file = FILES[new URL(req.url ?? '/', 'http://third').pathname]
  if (file === undefined) return void res.writeHead(404).end()
  res.writeHead(200, {
    'content-type': file[0],
    'content-length': Buffer.byteLength(file[1]),
    'cache-control': 'max-age=300',
  })
  res.end(file[1])
})
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(
    error.code === 'EADDRINUSE'
      ? `Port ${port} is taken by another program. Stop it, or choose another ZEST_PORT.`
      : error.message,
  )
  process.exit(78)
})
server.listen(port, '127.0.0.1', () => console.log(`third-party host ready on port ${port}`))
process.on('SIGTERM', () => process.exit(0))
process.on('SIGINT', () => process.exit(0))
