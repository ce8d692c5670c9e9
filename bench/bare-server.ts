import { createServer } from 'node:http'

/** The measure of all: node:http sending the same bytes and fields, and nothing else. Told what by its parent. */
process.once('message', ({ fields, body }: { fields: string[]; body: string }) => {
  const bytes = Buffer.from(body, 'base64')
  const server = createServer((_req, res) => {
    res.writeHead(200, fields)
    res.end(bytes)
  })
  server.listen(0, '127.0.0.1', () => process.send!({ port: (server.address() as { port: number }).port }))
})
