import { execFileSync } from 'node:child_process'
import { createServer } from 'node:http'
import { connect, type AddressInfo, type Socket } from 'node:net'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_800
const WANTED = 10_000
const AT_ONCE = 200
const REQUEST = `GET / HTTP/1.1\r\nhost: ${HOST}\r\n\r\n`

/** Open files a process may have here; each connection is one. */
const openFiles = (): number => Number(execFileSync('/bin/sh', ['-c', 'ulimit -n']).toString().trim())

/** A connection that has been answered once and stays open. */
const open = (): Promise<Socket> =>
  new Promise((resolve, reject) => {
    const socket = connect(PORT + 10, '127.0.0.1', () => socket.write(REQUEST))
    socket.once('data', () => resolve(socket))
    socket.once('error', reject)
  })

const answered = (socket: Socket): Promise<boolean> =>
  new Promise((resolve) => {
    socket.once('data', (chunk: Buffer) => resolve(chunk.toString('latin1').startsWith('HTTP/1.1 200')))
    socket.once('close', () => resolve(false))
    socket.write(REQUEST)
  })

/** Connections held open at once, all of them still answered afterwards. */
export const connections: Benchmark = {
  names: ['keep-alive-connections'],
  run: async () => {
    const most = Math.min(WANTED, openFiles() - 500)
    const origin = createServer((_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('page'))
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const delivery = await startDelivery(PORT, configFor((origin.address() as AddressInfo).port))
    const sockets: Socket[] = []
    try {
      while (sockets.length < most)
        sockets.push(...(await Promise.all(Array.from({ length: Math.min(AT_ONCE, most - sockets.length) }, open))))
      let held = 0
      for (let i = 0; i < sockets.length; i += AT_ONCE)
        held += (await Promise.all(sockets.slice(i, i + AT_ONCE).map(answered))).filter(Boolean).length
      return [{ name: 'keep-alive-connections', value: held, unit: 'connections', aim: WANTED, better: 'higher' }]
    } finally {
      for (const socket of sockets) socket.destroy()
      await delivery.stop()
      origin.close()
      origin.closeAllConnections()
    }
  },
}
