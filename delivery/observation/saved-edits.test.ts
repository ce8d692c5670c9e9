import { afterEach, beforeEach, expect, test } from 'vitest'
import { SavedEdits } from './saved-edits.ts'
import type { EditWatch } from '../respond/request-context.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** A site whose editor saves at an address that names no page (common practice of content systems). */

let bench: DeliveryBench
let texts: Record<string, string>
/** What came of each request that passed. */
let seenAs: EditWatch[]
const EDITOR = { cookie: 'session_id=editor', referer: 'http://live.example/editor?page=7' }
beforeEach(async () => {
  texts = { '/stories/fog': 'fog', '/stories/storm': 'storm', '/about': 'about' }
  bench = await DeliveryBench.open()
  bench.use(setupWith({ pageCache: {} }))
  seenAs = []
  const edits = new SavedEdits(bench.io)
  const saw: SavedEdits['saw'] = (...request) => {
    const seen = edits.saw(...request)
    seenAs.push(seen)
    return seen
  }
  Object.assign(bench.io, { edits: { saw } })
  bench.handler = (req, res) => {
    if (req.method === 'POST') return void res.writeHead(200, { 'content-type': 'application/json' }).end('{}')
    const links = ['/stories/fog', '/stories/storm'].map((path) => `<a href="${path}">${texts[path]}</a>`)
    const body = req.url === '/' ? links.join('') : texts[req.url!]
    res.writeHead(body === undefined ? 404 : 200, { 'content-type': 'text/html' }).end(body)
  }
  for (const path of ['/', ...Object.keys(texts)]) await bench.ask(path)
  bench.asked.length = 0
})
afterEach(() => bench.close())

const save = (headers: Record<string, string> = EDITOR) =>
  bench.ask('/api/save', { method: 'POST', headers, body: '{"id":7}' })
const seen = async (path: string): Promise<string> => (await bench.ask(path)).body.toString()
test('an edit shows on its page and on the home page, without an event and without a visitor who waits', async () => {
  texts['/stories/fog'] = 'The fog has lifted'
  await save()
  await expect.poll(() => seen('/')).toContain('The fog has lifted')
  await expect.poll(() => seen('/stories/fog')).toBe('The fog has lifted')
  expect((await bench.ask('/stories/fog')).cacheStatus).toContain('; hit')
})
test('also when the home page is not stored, as after somebody has signed in and was led there', async () => {
  bench.io.store.purgeKey([...bench.io.store.all()].find(({ key }) => key.endsWith('example/'))!.key)
  texts['/stories/storm'] = 'The storm is over'
  await save()
  await expect.poll(() => seen('/stories/storm')).toBe('The storm is over')
})
test('the page that the editor looked at last is compared, however old it is', async () => {
  await bench.ask('/about', { headers: { cookie: EDITOR.cookie } })
  texts['/about'] = 'About us, once more'
  await save()
  await expect.poll(() => seen('/about')).toBe('About us, once more')
})
test('the page that the editor came from is compared too', async () => {
  texts['/about'] = 'About us, again'
  await save({ ...EDITOR, referer: 'http://live.example/about' })
  await expect.poll(() => seen('/about')).toBe('About us, again')
})
test('a visitor without a session, and a request that fails, set nothing off', async () => {
  await save({ referer: EDITOR.referer })
  await save({ ...EDITOR, cookie: 'theme=dark' })
  bench.handler = (_req, res) => res.writeHead(500).end()
  await save()
  expect(seenAs).toEqual(['no-edit', 'no-edit', 'no-edit'])
})
test('an editor that asks all the time without saving anything is left alone after a while', async () => {
  await expect.poll(async () => (await save(), seenAs.at(-1))).toBe('fruitless')
  // Three rounds, each of which looks at the home page first.
  expect(bench.asked.filter(({ line }) => line === 'GET /')).toHaveLength(3)
  texts['/stories/fog'] = 'The fog has lifted'
  expect(await seen('/stories/fog')).toBe('fog')
})
test('also where it asks more often than a round takes, at a slow site', async () => {
  const { handler } = bench
  let saved = Promise.resolve()
  bench.handler = (req, res) => {
    if (req.method === 'POST') return void handler(req, res)
    // Each page that is compared takes longer than the editor waits with its next request.
    saved = saved.then(async () => {
      if (seenAs.length < 200 && seenAs.at(-1) !== 'fruitless') await save()
    })
    void saved.then(() => handler(req, res))
  }
  await expect.poll(async () => (await save(), seenAs.at(-1))).toBe('fruitless')
  expect(bench.asked.filter(({ line }) => line === 'GET /')).toHaveLength(3)
})
