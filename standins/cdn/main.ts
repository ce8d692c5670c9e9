import { join } from 'node:path'
import { CdnProvider, demoRegions } from './provider.ts'

/** A rented CDN of the demo. */
const port = Number(process.env['ZEST_PORT'] ?? 8400) + 8
/** What customers of the made-up company call it by; of the demo, no secret. */
const TOKEN = 'sound-cdn-demo'
const places = join(import.meta.dirname, '../standins/distance/places.json')
const { server } = new CdnProvider(TOKEN, demoRegions(places))
server.on('error', (error: Error) => {
  console.error(`The stand-in for a rented CDN (port ${port}): ${error.message}`)
  process.exit(78)
})
server.listen(port, '127.0.0.1', () => console.log(`rented CDN ready on port ${port}`))
process.on('SIGTERM', () => process.exit(0))
process.on('SIGINT', () => process.exit(0))
