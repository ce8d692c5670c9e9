import { createSocket } from 'node:dgram'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { createServer } from 'node:http'
import { join } from 'node:path'
import { parseZone, writeZone } from '../../core/formats/zone-file.ts'
import { answerMessage } from './answer-question.ts'
import { registrarPage } from './registrar-page.ts'

/** The name server of the ferry company's domain, and the page on which its zone is changed. */
const base = Number(process.env['ZEST_PORT'] ?? 8400)
const [dnsPort, pagePort] = [base + 6, base + 7]
const ZONE = 'orrin.localhost'
const folder = join(process.env['ZEST_DATA_DIR'] ?? './data', 'demo')
const path = join(folder, 'names.zone')
const MOST_BYTES = 100_000

/** Until it goes live, visitors are led to the old hosting (RFC 5737: addresses for documentation). */
const AT_FIRST = `$TTL 3600
@ IN SOA ns hostmaster 1 7200 600 3600000 60
@ NS ns
ns A 127.0.0.1
@ A 192.0.2.80
www CNAME @
@ MX 10 mail
mail A 192.0.2.25
@ TXT "v=spf1 mx -all"
_dmarc TXT "v=DMARC1; p=quarantine"
`
await mkdir(folder, { recursive: true, mode: 0o700 })
const kept = await readFile(path, 'utf8').catch(() => AT_FIRST)
let { records } = parseZone(kept, ZONE)

const socket = createSocket('udp4')
socket.on('message', (message, from) => {
  const answer = answerMessage(records, ZONE, message)
  if (answer !== undefined) socket.send(answer, from.port, from.address)
})
const fail = (error: Error): never => {
  console.error(`The stand-in for names (ports ${dnsPort} and ${pagePort}): ${error.message}`)
  process.exit(78)
}
socket.on('error', fail)
socket.bind(dnsPort, '127.0.0.1')

/** @returns what is wrong with it, or null once it is in force */
const change = async (text: string): Promise<string | null> => {
  const zone = parseZone(text, ZONE)
  const [problem] = zone.problems
  if (problem !== undefined) return `Line ${problem.line}: ${problem.sentence}`
  if (!zone.records.some(({ type }) => type === 'SOA')) return 'There is no SOA record.'
  await writeFile(path, text, { mode: 0o600 })
  records = zone.records
  return null
}

const server = createServer((req, res) => {
  const show = (status: number, text: string, problem: string | null): void => {
    res.writeHead(status, { 'content-type': 'text/html; charset=utf-8' })
    res.end(registrarPage(ZONE, text, problem))
  }
  if (req.method !== 'POST') return show(200, writeZone(records, ZONE), null)
  const chunks: Buffer[] = []
  let bytes = 0
  req.on('data', (chunk: Buffer) => {
    bytes += chunk.length
    if (bytes > MOST_BYTES) req.destroy()
    else chunks.push(chunk)
  })
  req.on('end', () => {
    const text = new URLSearchParams(Buffer.concat(chunks).toString('utf8')).get('zone') ?? ''
    change(text).then(
      (problem) => {
        if (problem !== null) return show(422, text, problem)
        res.writeHead(303, { location: '/' }).end()
      },
      (error: Error) => show(500, text, error.message),
    )
  })
})
server.on('error', fail)
server.listen(pagePort, '127.0.0.1')
for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.on(signal, () => {
    socket.close()
    server.close()
    process.exit(0)
  })
