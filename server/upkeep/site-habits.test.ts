import { afterEach, beforeEach, expect, test } from 'vitest'
import { ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let siteId = ''
const PAGE_FIELDS: Record<string, string> = {
  'content-type': 'text/html',
  server: 'Bollard/2.1',
  'x-powered-by': 'Tern/7.4',
}
const SHEET_FIELDS: Record<string, string> = { 'content-type': 'text/css' }
beforeEach(async () => {
  bench = await ServerBench.open()
  bench.site = (path) => {
    if (path === '/style.css') return { headers: SHEET_FIELDS, body: 'a{}' }
    if (path !== '/') return undefined
    return {
      headers: PAGE_FIELDS,
      body: '<title>Quay</title><meta name=generator content="Slipway 6.1"><link rel=stylesheet href="/style.css">',
    }
  }
  siteId = (await bench.connect()).id
})
afterEach(() => bench.close())

const looked = async () => {
  expect((await bench.call('POST', `/sites/${siteId}/habits/looks`)).status).toBe(202)
  await bench.services.jobs.idle()
  return (await bench.call('GET', `/sites/${siteId}/habits`)).body.habits
}
test('what can be seen from outside is told with its evidence', async () => {
  expect((await bench.call('GET', `/sites/${siteId}/habits`)).body).toEqual({ habits: null })
  const body = await looked()
  const found = Object.fromEntries(body.seen.map((one: { topic: string }) => [one.topic, one]))
  expect(found['server'].evidence).toEqual(['Server: Bollard/2.1'])
  expect(found['language'].sentence).toContain('Tern 7.4')
  expect(found['content-system'].sentence).toContain('Slipway 6.1')
  expect(found['page-making'].evidence[1]).toContain('/style.css')
})
test('what cannot is asked, and the answer is kept', async () => {
  const answers = { 'unused-themes': 'yes' }
  expect((await bench.call('PUT', `/sites/${siteId}/habits/answers`, answers)).body).toEqual(answers)
  await looked()
  expect((await bench.call('GET', `/sites/${siteId}/database/plan`)).body.answers).toEqual(answers)
  expect((await bench.call('PUT', `/sites/${siteId}/habits/answers`, { 'own-guess': 'yes' })).status).toBe(422)
})
test('a server that does not answer is said to do so', async () => {
  const before = await looked()
  bench.site = () => undefined
  expect(await looked()).toEqual(before)
  const [job] = (await bench.call('GET', '/jobs')).body
  expect(job).toMatchObject({ state: 'failed', error: 'The server of the site did not answer for /.' })
})
test('a server that is gone once its page was read is said to be so', async () => {
  bench.services.events.listen((event) => {
    if (event.kind === 'job' && event.job.now === 'How the server is reached') bench.site = () => undefined
  })
  await looked()
  expect(bench.errors).toEqual([])
  const [job] = (await bench.call('GET', '/jobs')).body
  expect(job).toMatchObject({ state: 'failed', error: expect.stringMatching(/no longer answers for \/\./) })
})
test('a look says how far it is, and one that is cancelled changes nothing', async () => {
  const before = await looked()
  const seen: string[] = []
  bench.services.events.listen((event) => {
    if (event.kind !== 'job' || event.job.kind !== 'habits-look') return
    seen.push(event.job.now)
    if (event.job.now === 'How the server is reached') void bench.call('POST', `/jobs/${event.job.id}/cancel`)
  })
  expect(await looked()).toEqual(before)
  const [job] = (await bench.call('GET', '/jobs')).body
  expect(job.state).toBe('cancelled')
  expect(seen).toContain('Reading /')
})
test('a name that would be cut within a character is kept whole up to it', async () => {
  const [name, cut] = ['Slipway '.repeat(12) + 'abc', '🚢 and more']
  bench.site = (path) =>
    path === '/' ? { headers: PAGE_FIELDS, body: `<meta name=generator content="${name}${cut}">` } : undefined
  const found = (await looked())?.seen.find((one: { topic: string }) => one.topic === 'content-system')
  expect(found?.sentence).toContain(name)
  expect(bench.errors).toEqual([])
})
