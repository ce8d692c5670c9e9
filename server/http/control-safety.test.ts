import { mkdtemp, mkdir, rm, stat, writeFile } from 'node:fs/promises'
import { createServer, request } from 'node:http'
import { request as httpsRequest } from 'node:https'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readFileSync } from 'node:fs'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { INTERFACE_PATHS, isInterfacePath } from '../../core/contracts/interface-paths.ts'
import { SignInLimit } from '../accounts/sign-in-limit.ts'
import { createApp } from '../app.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { needsTls } from '../../process/own-certificate.ts'
import { createControlServer } from './control-listener.ts'

let bench: ServerBench
let folder: string
beforeAll(async () => {
  bench = await ServerBench.open()
  folder = await mkdtemp(join(tmpdir(), 'zest-control-'))
})
afterAll(async () => {
  await bench.close()
  await rm(folder, { recursive: true, force: true })
})

/** As it is written: without the tidying that addresses get in fetch. */
const rawGet = (url: string, path: string, headers: Record<string, string> = {}) =>
  new Promise<{ status: number; body: string }>((resolve, reject) => {
    request({ host: '127.0.0.1', port: new URL(url).port, path, headers, agent: false }, (res) => {
      let body = ''
      res.on('data', (chunk: Buffer) => (body += chunk.toString()))
      res.on('end', () => resolve({ status: res.statusCode!, body }))
    })
      .on('error', reject)
      .end()
  })

describe('sign-in', () => {
  test('of many first accounts at the same time one is made', async () => {
    const tries = Array.from({ length: 8 }, (_, i) =>
      bench.call('POST', '/first-account', { name: `owner${i}@example.org`, password: 'long enough' }, {}),
    )
    const statuses = (await Promise.all(tries)).map(({ status }) => status).sort()
    expect(statuses.filter((status) => status === 201)).toHaveLength(1)
    expect(new Set(statuses)).toEqual(new Set([201, 409]))
  })
  test('guesses at the same time count as well as guesses one after the other', async () => {
    const guesses = Array.from({ length: 25 }, () =>
      bench.call('POST', '/session', { name: 'somebody', password: 'guess' }, {}),
    )
    const statuses = (await Promise.all(guesses)).map(({ status }) => status)
    expect(statuses.filter((status) => status === 401)).toHaveLength(10)
    expect(statuses.filter((status) => status === 429)).toHaveLength(15)
  })
})

describe('the limit of tries', () => {
  test('a stranger does not lock the owner out', () => {
    const limit = new SignInLimit()
    expect(limit.begin('owner', '192.0.2.1', 0)).toBe(0)
    limit.succeeded('owner', '192.0.2.1')
    for (let i = 0; i < 500; i++) limit.begin('owner', `198.51.100.${i % 250}`, 1)
    expect(limit.begin('owner', '198.51.100.251', 2)).toBeGreaterThan(0)
    expect(limit.begin('owner', '192.0.2.1', 2)).toBe(0)
  })
  test('one address cannot go through many names', () => {
    const limit = new SignInLimit()
    const waits = Array.from({ length: 40 }, (_, i) => limit.begin(`name${i}`, '2001:db8:1:2::' + i, 0))
    expect(waits.filter((wait) => wait === 0)).toHaveLength(30)
    expect(limit.begin('another', '2001:db8:1:3::1', 0)).toBe(0)
  })
  test('after the pause tries are allowed again', () => {
    const limit = new SignInLimit()
    for (let i = 0; i < 12; i++) limit.begin('a', '192.0.2.1', 0)
    expect(limit.begin('a', '192.0.2.1', 1)).toBeGreaterThan(0)
    expect(limit.begin('a', '192.0.2.1', 301_000)).toBe(0)
  })
})

describe('names of control', () => {
  test('a name of somebody else that leads here is refused (DNS rebinding)', async () => {
    const { status, body } = await rawGet(bench.url, '/api/v1/welcome', { host: 'evil.example' })
    expect([status, JSON.parse(body).code]).toEqual([421, 'NOT_CONTROL'])
  })
  test.each(['localhost', '127.0.0.1:8400', '[::1]:8400', 'control.example'])('%s is served', async (host) =>
    expect((await rawGet(bench.url, '/api/v1/welcome', { host })).status).toBe(200),
  )
  test.each(['localhost', '127.0.0.1', 'control.example'])('no site may be called %s', async (liveHost) => {
    const wanted = {
      address: bench.siteUrl,
      name: 'S',
      liveHost,
      trialHost: 'trial.example',
      privateAddresses: 'allowed',
    }
    expect((await bench.call('POST', '/sites', wanted)).body.code).toBe('HOST_OF_CONTROL')
  })
})

describe('addresses', () => {
  test('of all views, and of nothing else, are known', () => {
    const routes = readFileSync(join(import.meta.dirname, '../../web/router.ts'), 'utf8')
    const named = [...routes.matchAll(/path: '([^']*)'/g)].map(([, path]) => path!)
    const views = named
      .filter((path) => !path.includes('*'))
      .map((path) => (path.startsWith('/') ? path : path === '' ? '/sites/:siteId' : `/sites/:siteId/${path}`))
    expect([...new Set(views)].sort()).toEqual([...INTERFACE_PATHS].sort())
    expect(isInterfacePath('/sites/abc/measure/')).toBe(true)
    expect(isInterfacePath('/sites/abc/nothing')).toBe(false)
  })
  test.each([
    '/metrics',
    '/healthz',
    '/..%2f',
    '/%2e%2e/%2e%2e/etc/passwd',
    '/%',
    '/%00',
    '/sites/a%2fb',
    '//',
    '/api',
    '/assets/none.js',
    '/\\..\\x',
  ])('%s is 404, never the interface', async (path) => {
    const web = join(folder, 'web')
    await mkdir(web, { recursive: true })
    await writeFile(join(web, 'index.html'), 'the interface')
    const server = createServer(createApp(bench.services, web, (error) => bench.errors.push(error)).callback())
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
    expect(await rawGet(url, path)).toMatchObject({ status: 404, body: expect.not.stringContaining('the interface') })
    expect((await rawGet(url, '/sites/some-id/store')).body).toBe('the interface')
    server.close()
    expect(bench.errors).toEqual([])
  })
})

describe('input that no database keeps', () => {
  test.each([
    ['a name', () => bench.call('POST', '/accounts', { name: 'a\0b', password: 'long enough' })],
    ['an address', () => bench.call('POST', '/check', { address: 'http://a.example/\0' })],
    ['an id in the path', () => bench.call('GET', '/sites/a%00b')],
    ['a query', () => bench.call('GET', '/sites/x/store?text=%00')],
  ])('NUL in %s is refused', async (_what, call) => {
    const { status } = await call()
    expect(status).toBeGreaterThanOrEqual(400)
    expect(status).toBeLessThan(500)
    expect(bench.errors).toEqual([])
  })
})

test('of two people who change the trial at the same time, the second is told', async () => {
  const site = await bench.connect()
  const { revision } = (await bench.call('GET', `/sites/${site.id}/trial`)).body
  const save = (remedy: string) =>
    bench.call('PUT', `/sites/${site.id}/trial`, {
      setup: { remedies: { [remedy]: { enabled: true } } },
      revision,
    })
  const answers = await Promise.all([save('pageCache'), save('compression')])
  expect(answers.map(({ status }) => status).sort()).toEqual([200, 409])
  expect(answers.find(({ status }) => status === 409)!.body.code).toBe('TRIAL_CHANGED')
})

test('a stream of events ends with its credentials', async () => {
  const name = 'leaver@example.org'
  await bench.call('POST', '/accounts', { name, password: 'long enough' })
  const { headers } = await bench.call('POST', '/session', { name, password: 'long enough' }, {})
  const cookie = headers.getSetCookie()[0]!.split(';')[0]!
  const ended = new Promise<void>((resolve) => {
    request(`${bench.url}/api/v1/live-events`, { headers: { cookie } }, (res) => {
      res.resume().on('end', resolve)
      void bench.call('DELETE', '/session', undefined, { cookie })
    }).end()
  })
  await ended
})

describe('beyond this machine', () => {
  test.each([
    ['127.0.0.1', false],
    ['::1', false],
    ['localhost', false],
    ['0.0.0.0', true],
    ['192.0.2.1', true],
    ['::', true],
  ])('at %s TLS is needed: %s', (address, tls) => expect(needsTls(address)).toBe(tls))
  test('control speaks TLS, and its cookies are for TLS only', async () => {
    const app = createApp(bench.services, '/nowhere', () => undefined)
    const listening = {
      address: '0.0.0.0',
      certificateFile: undefined,
      keyFile: undefined,
      folder: join(folder, 'tls'),
      names: ['control.example'],
    }
    const { server, scheme } = await createControlServer(listening, app.callback(), Date.now())
    expect(scheme).toBe('https')
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    const body = JSON.stringify({ name: 'tls@example.org', password: 'long enough' })
    await bench.call('POST', '/accounts', JSON.parse(body))
    const cookies = await new Promise<string[]>((resolve, reject) => {
      httpsRequest(
        {
          host: '127.0.0.1',
          port: (server.address() as AddressInfo).port,
          path: '/api/v1/session',
          method: 'POST',
          rejectUnauthorized: false,
          headers: { 'content-type': 'application/json' },
        },
        (res) => (res.resume(), resolve(res.headers['set-cookie'] ?? [])),
      )
        .on('error', reject)
        .end(body)
    })
    expect(cookies[0]).toMatch(/; secure/i)
    expect((await stat(join(folder, 'tls', 'control.pem.json'))).mode & 0o077).toBe(0)
    server.close()
  })
})
