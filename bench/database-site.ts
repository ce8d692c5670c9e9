import { createServer } from 'node:http'
import { once } from 'node:events'
import { setTimeout as pause } from 'node:timers/promises'
import { Pool } from 'pg'
import { z } from 'zod'

/** A site whose pages ask a database, and its visitors, in a process of their own: what control does meanwhile slows only what it really slows. */

const { connection, perSecond } = z
  .object({ connection: z.string(), perSecond: z.number() })
  .parse(JSON.parse(process.argv[2] ?? '{}'))
const pool = new Pool({ connectionString: connection, max: 8 })
const LEAFLETS = 2000

/** What a page of a content system asks, in one table after the other. */
const page = async (leaflet: number): Promise<string> => {
  const asked = [
    ['select heading, matter from leaflets where leaflet_no = $1', leaflet],
    ['select count(*) from remarks where leaflet_no = $1', leaflet],
    ['select words from remarks where remark_no = $1', leaflet],
    ['select contents from short_lived where label = $1', `weather_${leaflet}`],
    ['select called from keepers where keeper_no = $1', leaflet % 30],
    ['select matter from leaflet_states where state_no = $1', leaflet * 12],
  ] as const
  const parts: string[] = []
  for (const [sql, value] of asked) parts.push(JSON.stringify((await pool.query(sql, [value])).rows))
  return parts.join('\n')
}

const server = createServer((req, res) => {
  const leaflet = Number(new URL(req.url ?? '/', 'http://site').searchParams.get('n') ?? 1)
  page(leaflet).then(
    (body) => res.writeHead(200, { 'content-type': 'text/html' }).end(`<title>Leaflet</title><p>${body}</p>`),
    (error: Error) => res.writeHead(500).end(error.message),
  )
})
server.listen(0, '127.0.0.1')
await once(server, 'listening')
const address = server.address()
const base = `http://127.0.0.1:${typeof address === 'object' && address !== null ? address.port : 0}`

/** Waits since they were asked for last, ms. */
let waits: number[] = []
const visit = async (n: number): Promise<void> => {
  const startedAt = performance.now()
  const response = await fetch(`${base}/?n=${(n % LEAFLETS) + 1}`)
  await response.text()
  waits.push(response.ok ? performance.now() - startedAt : 10_000)
}
process.on('message', () => {
  process.send?.({ waits })
  waits = []
})
process.on('disconnect', () => process.exit(0))
process.send?.({ base })
for (let n = 0; ; n++) {
  visit(n).catch(() => waits.push(10_000))
  await pause(1000 / perSecond)
}
