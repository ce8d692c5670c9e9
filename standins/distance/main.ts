import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { distanceMs } from '../../core/model/distance.ts'
import { delayedWay } from './delayed-way.ts'

/** The sea between home and the edges of the demo: one port an edge, which leads to delivery as if it were so far away. */
interface DemoPlace {
  readonly name: string
  readonly latitude: number
  readonly longitude: number
}
const base = Number(process.env['ZEST_PORT'] ?? 8400)
const places = JSON.parse(readFileSync(join(import.meta.dirname, '../standins/distance/places.json'), 'utf8')) as {
  readonly home: DemoPlace
  readonly edges: readonly DemoPlace[]
}
const servers = places.edges.map((edge, index) => {
  const port = base + 3 + index
  const server = delayedWay(base + 10, distanceMs(edge, places.home))
  server.on('error', (error) => {
    console.error(`The way to ${edge.name} (port ${port}): ${error.message}`)
    process.exit(78)
  })
  return server.listen(port, '127.0.0.1')
})
for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.on(signal, () => {
    for (const server of servers) server.close()
    process.exit(0)
  })
