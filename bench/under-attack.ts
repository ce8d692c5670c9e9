import { readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { attack } from './attackers.ts'
import { configFor, HOST, startDelivery } from './delivery-process.ts'
import type { Benchmark } from './results/result.ts'

const PORT = 19_500
const SECONDS = 30
const PAGE = `<!doctype html><title>Bench</title>${'<p>page</p>'.repeat(3000)}`

/** Most memory a process has had (proc(5): VmHWM), MB. */
const mostMemoryMb = (pid: number): number =>
  Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024

/** Memory of delivery while it is attacked in every way at once. */
export const memoryUnderAttack: Benchmark = {
  names: ['memory-under-attack-mb'],
  run: async () => {
    const origin = createServer((req, res) => {
      if (req.url === '/events') res.writeHead(200, { 'content-type': 'text/event-stream' }).write('data: x\n\n')
      else if (req.method === 'POST') req.resume().once('end', () => res.end())
      else res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE)
    })
    await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
    const delivery = await startDelivery(PORT, configFor((origin.address() as AddressInfo).port))
    const { pid } = delivery
    const end = Date.now() + SECONDS * 1000
    const attacks = attack({ httpPort: PORT + 10, httpsPort: PORT + 11, host: HOST }, () => Date.now() < end, '/events')
    await new Promise((resolve) => setTimeout(resolve, SECONDS * 1000))
    const value = mostMemoryMb(pid)
    console.log(attacks.map(({ name, tries }) => (tries() > 0 ? `${tries()} ${name}` : name)).join(', '))
    await delivery.stop()
    origin.close()
    origin.closeAllConnections()
    return [{ name: 'memory-under-attack-mb', value, unit: 'MB', aim: 600, better: 'lower' }]
  },
}
