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

test('what can be seen from outside is told with its evidence', async () => {
  const { status, body } = await bench.call('POST', `/sites/${siteId}/habits`)
  expect(status).toBe(200)
  const found = Object.fromEntries(body.seen.map((one: { topic: string }) => [one.topic, one]))
  expect(found['server'].evidence).toEqual(['Server: Bollard/2.1'])
  expect(found['language'].sentence).toContain('Tern 7.4')
  expect(found['content-system'].sentence).toContain('Slipway 6.1')
  expect(found['page-making'].evidence[1]).toContain('/style.css')
  expect(body.answers).toEqual({})
})
test('what cannot is asked, and the answer is kept', async () => {
  const answers = { 'unused-themes': 'yes' }
  expect((await bench.call('PUT', `/sites/${siteId}/habits/answers`, answers)).body).toEqual(answers)
  expect((await bench.call('POST', `/sites/${siteId}/habits`)).body.answers).toEqual(answers)
  expect((await bench.call('PUT', `/sites/${siteId}/habits/answers`, { 'own-guess': 'yes' })).status).toBe(422)
})
test('a server that does not answer is said to do so', async () => {
  bench.site = () => undefined
  const { status, body } = await bench.call('POST', `/sites/${siteId}/habits`)
  expect([status, body.code]).toEqual([422, 'NOT_REACHED'])
})
