import { createServer, request, type IncomingHttpHeaders, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { readFileSync } from 'node:fs'
import { brotliDecompressSync, gunzipSync } from 'node:zlib'
import { attack } from './attackers.ts'
import { configFor, HOST, startDelivery, type DeliveryProcess } from './delivery-process.ts'
import { upTo } from '../core/http/up-to.ts'

/**
 * Minutes of everything at once: visitors of all kinds, attackers, edits with purges, changes of setup, an origin that fails now and then, and one kill -9. Every
 * body is checked: right page, right visitor, no older than the last purge that was carried out, whole, and in the coding it says. Every error has to
 * have a cause that was in force when it happened.
 *
 * npm run soak [-- MINUTES]
 */
const MINUTES = Number(process.argv[2] ?? 5)
const PORT = 19_900
const PATHS = Array.from({ length: 60 }, (_, i) => `/page/${i}`)
const VISITORS = 24
const PEOPLE = ['ann', 'bob', 'cyd']

interface Page {
  /** Edits so far. */
  version: number
  /** No answer asked for from now on may be older, since a purge of it was carried out. */
  least: number
}
/** One of them by chance. */
const oneOf = <T>(all: readonly T[], chance = Math.random()): T => {
  const [one] = all.slice(Math.floor(chance * all.length))
  if (one === undefined) throw new RangeError('There is none.')
  return one
}
const pageOf = (path: string): Page => {
  const page = pages.get(path)
  if (page === undefined) throw new RangeError(`There is no page ${path}.`)
  return page
}

const pages = new Map<string, Page>(PATHS.map((path) => [path, { version: 1, least: 1 }]))

/** Made-up bytes that depend on page, version and person only, so that any mix-up shows. */
const bodyOf = (path: string, version: number, person: string): string =>
  `<!doctype html><title>${path}</title><p>version=${version};person=${person};</p>${`<i>${path} ${version} ${person}</i>`.repeat(150)}<end>`

type Failing = 'no' | 'errors' | 'breaks' | 'slow'
let failing: Failing = 'no'
let lastFailing = 0
const wrong: string[] = []
const unexplained: string[] = []
const originAnswers = { served: 0, failed: 0 }

const answer = (path: string, person: string, res: ServerResponse): void => {
  const page = pages.get(path)
  if (page === undefined) return void res.writeHead(404, { 'content-type': 'text/html' }).end('none')
  const body = bodyOf(path, page.version, person)
  const personal = person === 'nobody' ? {} : { 'cache-control': 'no-cache, must-revalidate, max-age=0' }
  if (failing === 'errors' && Math.random() < 0.7) {
    originAnswers.failed++
    return void res.writeHead(500, { 'content-type': 'text/html' }).end('failed')
  }
  if (failing === 'breaks' && Math.random() < 0.7) {
    originAnswers.failed++
    res.writeHead(200, {
      'content-type': 'text/html',
      'content-length': Buffer.byteLength(body),
      ...personal,
    })
    return void res.write(body.slice(0, 1000), () => res.destroy())
  }
  originAnswers.served++
  const send = (): void => void res.writeHead(200, { 'content-type': 'text/html', ...personal }).end(body)
  if (failing === 'slow') setTimeout(send, 300 + Math.random() * 700)
  else setTimeout(send, Math.random() * 15)
}

const origin = createServer((req, res) => {
  const person = /session=(\w+)/.exec(req.headers.cookie ?? '')?.[1] ?? 'nobody'
  if (req.headers.host?.includes('smuggled') === true) wrong.push('a smuggled request reached the origin')
  if (req.url === '/events')
    return void res.writeHead(200, { 'content-type': 'text/event-stream' }).write('data: x\n\n')
  if (req.method === 'POST') {
    req.resume()
    req.on('end', () => res.writeHead(204).end())
    return
  }
  answer(upTo(req.url ?? '/', '?'), person, res)
})

interface Answer {
  status: number
  headers: IncomingHttpHeaders
  body: Buffer
}
const ask = (path: string, method: string, headers: Record<string, string>): Promise<Answer> =>
  new Promise((resolve, reject) => {
    const outgoing = request(
      { host: '127.0.0.1', port: PORT + 10, path, method, agent: false, headers: { host: HOST, ...headers } },
      (res) => {
        const chunks: Buffer[] = []
        res.on('data', (chunk: Buffer) => chunks.push(chunk))
        res.on('error', reject)
        res.on('aborted', () => reject(new Error('cut off')))
        res.on('end', () => resolve({ status: res.statusCode ?? 0, headers: res.headers, body: Buffer.concat(chunks) }))
      },
    )
    outgoing.on('error', reject)
    outgoing.end()
  })

const totals = {
  requests: 0,
  hits: 0,
  stale: 0,
  unchanged: 0,
  parts: 0,
  personal: 0,
  purges: 0,
  softPurges: 0,
  setups: 0,
  kills: 0,
  explained: 0,
}
let downUntil = 0
let killedAt = 0

const decoded = ({ headers, body }: Answer): string => {
  const coding = headers['content-encoding']
  return (coding === 'br' ? brotliDecompressSync(body) : coding === 'gzip' ? gunzipSync(body) : body).toString()
}

/** Whether the origin's failures, or the kill, were in force while a request was under way. */
const excusable = (begun: number): boolean => lastFailing >= begun - 1500 || downUntil >= begun - 500

const check = (path: string, person: string, least: number, got: Answer): void => {
  const cacheStatus = String(got.headers['cache-status'] ?? '')
  const fault = (what: string): void => void wrong.push(`${what}: ${path} as ${person}, ${got.status}, ${cacheStatus}`)
  if (cacheStatus.includes('; hit')) totals.hits++
  const text = decoded(got)
  const match = /version=(\d+);person=(\w+);/.exec(text)
  if (match === null) return fault('no page at all')
  const [, versionText, whose] = match
  const version = Number(versionText)
  if (whose !== person) return fault(`the page of ${whose}`)
  if (text !== bodyOf(path, version, person)) return fault('bytes of another page, or not all of them')
  // Only what may be stale by the owner's word: the origin failed, or a soft purge.
  if (version < least) {
    if (cacheStatus.includes('stale-')) totals.stale++
    else fault(`version ${version}, purged up to ${least}`)
  }
}

const checkPart = (path: string, person: string, got: Answer): void => {
  const range = /^bytes (\d+)-(\d+)\/(\d+)$/.exec(String(got.headers['content-range']))
  const page = pageOf(path)
  if (range === null || got.headers['content-encoding'] !== undefined)
    return void wrong.push(`a part without range or with a coding: ${path}`)
  const [first, last] = [Number(range[1]), Number(range[2])]
  const versions = Array.from({ length: page.version }, (_, i) => page.version - i)
  const fits = versions.some((version) => {
    const whole = Buffer.from(bodyOf(path, version, person))
    return whole.length === Number(range[3]) && whole.subarray(first, last + 1).equals(got.body)
  })
  if (!fits) wrong.push(`a part of no version of ${path}`)
  totals.parts++
}

const visit = async (): Promise<void> => {
  const path = oneOf(PATHS, Math.random() ** 2)
  const signedIn = Math.random() < 0.15
  const person = signedIn ? oneOf(PEOPLE) : 'nobody'
  const method = Math.random() < 0.05 ? 'HEAD' : 'GET'
  const headers: Record<string, string> = {}
  if (signedIn) headers['cookie'] = `consent=yes; session=${person}`
  const coding = oneOf(['', 'br', 'gzip', 'gzip, br'])
  if (coding !== '') headers['accept-encoding'] = coding
  const part = !signedIn && method === 'GET' && Math.random() < 0.05
  if (part) headers['range'] = 'bytes=100-299'
  const target = Math.random() < 0.05 ? `${path}?utm_source=${Math.random()}` : path
  const { least } = pageOf(path)
  const begun = Date.now()
  totals.requests++
  if (signedIn) totals.personal++
  try {
    const got = await ask(target, method, headers)
    if (got.status === 206) return checkPart(path, person, got)
    if (got.status === 200) {
      if (method === 'GET') check(path, person, least, got)
      return
    }
    if (got.status >= 500 && excusable(begun)) return void totals.explained++
    unexplained.push(`status ${got.status} for ${path}: ${String(got.headers['cache-status'])}`)
  } catch (error) {
    if (excusable(begun)) totals.explained++
    else unexplained.push(`${(error as Error).message} for ${path}`)
  }
}

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))
const ending = Date.now() + MINUTES * 60_000
const going = (): boolean => Date.now() < ending

const edits = async (delivery: DeliveryProcess): Promise<void> => {
  while (going()) {
    await wait(100 + Math.random() * 300)
    const path = oneOf(PATHS)
    const page = pageOf(path)
    page.version++
    const { version } = page
    const soft = Math.random() < 0.2
    try {
      await delivery.client.purge({
        siteId: 'bench',
        what: Math.random() < 0.02 ? { kind: 'everything' } : { kind: 'paths', paths: [path] },
        manner: soft ? 'soft' : 'hard',
      })
      if (soft) totals.softPurges++
      else {
        totals.purges++
        page.least = Math.max(page.least, version)
      }
    } catch {
      // Delivery is away: nothing was promised, so nothing is held against it.
    }
  }
}

const setups = async (delivery: DeliveryProcess, originPort: number): Promise<void> => {
  for (let revision = 2; going(); revision++) {
    await wait(2000)
    const settings = {
      lifetimeS: 5 + (revision % 4) * 20,
      signedIn: revision % 3 === 0 ? 'private' : 'pass',
      staleWhileRevalidateS: revision % 2 === 0 ? 0 : 30,
    }
    await delivery.client
      .configure(configFor(originPort, settings, revision))
      .then(() => totals.setups++)
      .catch(() => undefined)
  }
}

const failures = async (): Promise<void> => {
  const kinds: Failing[] = ['errors', 'breaks', 'slow']
  for (let i = 0; going(); i++) {
    await wait(12_000)
    failing = oneOf(kinds, (i % kinds.length) / kinds.length)
    const until = Date.now() + 3000
    while (Date.now() < until) {
      lastFailing = Date.now()
      await wait(50)
    }
    failing = 'no'
  }
}

const killOnce = async (delivery: DeliveryProcess): Promise<void> => {
  await wait((MINUTES * 60_000) / 2)
  killedAt = Date.now()
  downUntil = Number.POSITIVE_INFINITY
  await delivery.kill()
  await delivery.start()
  downUntil = Date.now()
  totals.kills++
}

const memoryMb = (pid: number): number => {
  const line = /VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))
  return Math.round(Number(line?.[1] ?? 0) / 1024)
}

await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
const originPort = (origin.address() as AddressInfo).port
const delivery = await startDelivery(PORT, configFor(originPort))
const memory: number[] = []
const watching = setInterval(() => {
  try {
    memory.push(memoryMb(delivery.pid))
  } catch {
    // Between two processes.
  }
}, 5000)
const visitors = Array.from({ length: VISITORS }, async () => {
  while (going()) await visit()
})
const attacks = attack({ httpPort: PORT + 10, httpsPort: PORT + 11, host: HOST }, going, '/events')
await Promise.all([...visitors, edits(delivery), setups(delivery, originPort), failures(), killOnce(delivery)])
clearInterval(watching)
await delivery.stop()
origin.close()
origin.closeAllConnections()
console.log(`${MINUTES} minutes, ${VISITORS} visitors at once`)
console.log(
  `${totals.requests} requests, ${totals.personal} of them signed in, ${totals.parts} parts; ${totals.hits} checked answers from the store, ${totals.stale} stale ones where the owner allows it`,
)
console.log(
  `${totals.purges} hard and ${totals.softPurges} soft purges, ${totals.setups} setups put in force, ${totals.kills} kill -9 (back after ${downUntil - killedAt} ms)`,
)
console.log(
  `origin: ${originAnswers.served} answers, ${originAnswers.failed} failures on purpose; ${totals.explained} errors of visitors that these or the kill explain`,
)
console.log(`attacks: ${attacks.map(({ name, tries }) => (tries() > 0 ? `${tries()} ${name}` : name)).join(', ')}`)
console.log(`memory of delivery: ${Math.min(...memory)} to ${Math.max(...memory)} MB`)
console.log(`wrong bodies: ${wrong.length}; unexplained errors: ${unexplained.length}`)
for (const one of [...wrong, ...unexplained].slice(0, 20)) console.log(`  ${one}`)
process.exit(wrong.length + unexplained.length === 0 ? 0 : 1)
