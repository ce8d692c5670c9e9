import { execFile } from 'node:child_process'
import { createHmac } from 'node:crypto'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { EventTarget, Site } from '../../core/contracts/sites.ts'
import { ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const target = async (): Promise<EventTarget> => (await bench.call('GET', `/sites/${site.id}/event-target`)).body
const send = async (body: string, fields: Record<string, string> = {}, address?: string) => {
  const answer = await fetch(address ?? (await target()).plainUrl, { method: 'POST', body, headers: fields })
  return { status: answer.status, body: await answer.json() }
}
const purged = () => bench.purges.map(({ what }) => what)

describe('a call to the address for changes', () => {
  test.each([
    ['JSON', 'application/json', '{"post":{"link":"http://HOST/notices/fog"}}'],
    ['a form', 'application/x-www-form-urlencoded', 'event=saved&link=http%3A%2F%2FHOST%2Fnotices%2Ffog'],
    ['a text', 'text/plain', 'http://HOST/notices/fog was saved'],
    ['a type nobody knows', 'application/x-quay', '/notices/fog'],
  ])('in %s purges what it names, with what follows from it', async (_form, type, body) => {
    const { status, body: told } = await send(body.replaceAll('HOST', site.liveHost), {
      'content-type': type,
    })
    expect([status, told.paths]).toEqual([200, ['/notices/fog']])
    expect(purged()).toContainEqual({ kind: 'paths', paths: ['/notices/fog', '/', '/notices'] })
  })
  test('that says everything purges everything', async () => {
    await send('{"everything":true}')
    expect(purged()).toEqual([{ kind: 'everything' }])
  })
  test('that names nothing of the site purges nothing, and the owner sees it', async () => {
    expect(await send('{"url":"https://elsewhere.example/"}')).toMatchObject({ status: 200, body: { purged: 0 } })
    expect(purged()).toEqual([])
    expect((await target()).calls[0]).toMatchObject({
      how: 'plain',
      problem: 'The message contains no address of the site.',
    })
  })
  test('with another key is refused like one for no site, and leaves nothing', async () => {
    const { plainUrl } = await target()
    const wrongKey = await send('/notices/fog', {}, plainUrl.slice(0, -1) + (plainUrl.endsWith('a') ? 'b' : 'a'))
    const noSite = await send('/notices/fog', {}, plainUrl.replace(site.id, 'nobody'))
    expect([wrongKey.status, noSite.status]).toEqual([404, 404])
    expect(wrongKey.body.detail).toBe(noSite.body.detail)
    expect([purged(), (await target()).calls]).toEqual([[], []])
  })
  test('reaches nobody under the old key once there is a new one', async () => {
    const { plainUrl } = await target()
    await bench.call('POST', `/sites/${site.id}/event-target/key`)
    expect((await send('/notices/fog', {}, plainUrl)).status).toBe(404)
    expect((await send('/notices/fog')).status).toBe(200)
  })
  test('larger than a megabyte is refused', async () => {
    expect((await send('x'.repeat(1_100_000))).status).toBe(413)
  })
})

describe('where the owner wants an HMAC', () => {
  const body = '{"path":"/notices/fog"}'
  const hmac = (secret: string, form: 'hex' | 'base64') => createHmac('sha256', secret).update(body).digest(form)
  beforeEach(() => bench.call('PUT', `/sites/${site.id}/event-target`, { hmacField: 'X-Quay-Signature' }))
  test.each([
    ['in hexadecimal', (secret: string) => hmac(secret, 'hex')],
    ['in Base64', (secret: string) => hmac(secret, 'base64')],
    ['behind the name of the algorithm', (secret: string) => `sha256=${hmac(secret, 'hex')}`],
  ])('one that fits is taken, %s', async (_form, signature) => {
    const { secret } = await target()
    expect((await send(body, { 'x-quay-signature': signature(secret) })).status).toBe(200)
  })
  test.each([
    ['none', {}],
    ['one of another secret', { 'x-quay-signature': hmac('guess', 'hex') }],
  ])('%s is refused, and the owner sees why', async (_what, fields) => {
    expect((await send(body, fields as Record<string, string>)).status).toBe(401)
    expect(purged()).toEqual([])
    expect((await target()).calls[0]!.problem).toContain('x-quay-signature')
  })
})

test('the last ten calls are shown, newest first', async () => {
  for (let i = 0; i < 12; i++) await send(`/notices/${i}`)
  const { calls } = await target()
  expect(calls.map(({ paths }) => paths[0])).toEqual(Array.from({ length: 10 }, (_, i) => `/notices/${11 - i}`))
})

test('a picture that changed is purged; where pages are made from pictures, they are too', async () => {
  const { carryOutChange } = await import('./content-changes.ts')
  const { siteRow } = await import('../sites/sites.ts')
  const change = { paths: [], groups: [], media: [`${site.address}/media/ferry.jpg`], everything: false }
  await carryOutChange(bench.services, await siteRow(bench.services.db, site.id), change)
  expect(purged()).toEqual([{ kind: 'paths', paths: ['/media/ferry.jpg'] }])
})

const senders = join(import.meta.dirname, '../../docs/senders')
describe.each([
  ['send-change.sh', 'sh', '/usr/bin/curl'],
  ['send-change.mjs', process.execPath, process.execPath],
  ['send-change.php', 'php', '/usr/bin/php'],
])('the sender %s', (file, program, needs) => {
  const run = (env: NodeJS.ProcessEnv) =>
    promisify(execFile)(program, [join(senders, file), `http://${site.liveHost}/notices/fog`, '/notices'], {
      env: { ...process.env, ...env },
    })
  test.skipIf(!existsSync(needs))('tells of a change, with an HMAC where one is wanted', async () => {
    const { plainUrl, secret } = await target()
    const { stdout } = await run({ ZEST_CHANGES: plainUrl })
    expect(JSON.parse(stdout).paths).toEqual(['/notices/fog', '/notices'])
    await bench.call('PUT', `/sites/${site.id}/event-target`, { hmacField: 'x-quay-signature' })
    await expect(run({ ZEST_CHANGES: plainUrl })).rejects.toThrow()
    const signed = await run({
      ZEST_CHANGES: plainUrl,
      ZEST_HMAC_FIELD: 'x-quay-signature',
      ZEST_SECRET: secret,
    })
    expect(JSON.parse(signed.stdout).paths).toHaveLength(2)
  })
})
