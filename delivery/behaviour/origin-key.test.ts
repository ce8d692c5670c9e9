import { connect } from 'node:net'
import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { ORIGIN_KEY_FIELD } from '../../core/http/origin-key.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** An origin that answers only whoever brings its key. */

const KEY = 'the-key-of-the-origin-1'
let bench: DeliveryBench
const serve = (key: string | undefined): void => {
  bench.use(setupWith({ pageCache: { fragments: false }, compression: {} }))
  const [site] = bench.config.sites
  bench.useConfig({
    ...bench.config,
    sites: [{ ...site!, origin: { ...site!.origin, ...(key === undefined ? {} : { key }) } }],
  })
}
beforeAll(async () => {
  bench = await DeliveryBench.open()
})
afterAll(() => bench.close())
beforeEach(() => {
  bench.asked.length = 0
  bench.handler = (req, res) => {
    const known = req.headers[ORIGIN_KEY_FIELD] === KEY
    res.writeHead(known ? 200 : 403, { 'content-type': 'text/html', 'cache-control': 'max-age=60' }).end('home')
  }
  serve(KEY)
})

test.each([
  ['a page that will be stored', '/stored', {}],
  ['a page that passes', '/passed', { headers: { authorization: 'Basic eA==' } }],
  ['a form', '/form', { method: 'POST', body: 'text=fog' }],
  ['a request for the fields alone', '/fields', { method: 'HEAD' }],
])('gets it with %s, whatever the visitor brings', async (_what, path, options) => {
  const headers = { ...('headers' in options ? options.headers : {}), [ORIGIN_KEY_FIELD]: 'a guess' }
  const { status, headers: answered } = await bench.ask(path, { ...options, headers })
  expect(status).toBe(200)
  expect(JSON.stringify(answered)).not.toContain(KEY)
  expect(bench.asked.at(-1)!.headers[ORIGIN_KEY_FIELD]).toBe(KEY)
})
test('gets it when a connection is upgraded', async () => {
  await new Promise<void>((resolve) => {
    const socket = connect(bench.port, '127.0.0.1', () =>
      socket.write(
        `GET /upgraded HTTP/1.1\r\nHost: live.example\r\nConnection: upgrade\r\nUpgrade: websocket\r\n${ORIGIN_KEY_FIELD}: a guess\r\n\r\n`,
      ),
    )
    socket.on('data', () => socket.destroy())
    socket.on('close', () => resolve())
  })
  expect(bench.asked.at(-1)!.headers[ORIGIN_KEY_FIELD]).toBe(KEY)
})
test('is brought nothing of the kind where it asks for none', async () => {
  serve(undefined)
  await bench.ask('/none', { method: 'POST', headers: { [ORIGIN_KEY_FIELD]: 'a guess' } })
  expect(bench.asked.at(-1)!.headers).not.toHaveProperty(ORIGIN_KEY_FIELD)
})
