import { createHash, createHmac, randomUUID } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Site } from '../../core/contracts/sites.ts'
import { COVERED, signatureBase, signatureParams } from '../../core/formats/http-signature.ts'
import { endpointsOf } from '../app.ts'
import { ServerBench, TOKEN } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
beforeAll(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterAll(() => bench.close())

describe('accounts', () => {
  const credentials = { name: 'Owner@Example.org', password: 'long enough' }
  const cookieOf = (headers: Headers): string => headers.getSetCookie()[0]!.split(';')[0]!

  test('the first account is made without signing in, and only the first', async () => {
    expect((await bench.call('GET', '/welcome', undefined, {})).body).toEqual({
      account: null,
      firstAccount: true,
      notice: 'Welcome aboard',
    })
    expect(
      (await bench.call('POST', '/first-account', { ...credentials, password: 'short' }, {})).body.detail,
    ).toContain('at least 8')
    const made = await bench.call('POST', '/first-account', credentials, {})
    expect(made.status).toBe(201)
    expect(made.headers.getSetCookie()[0]).toMatch(/^zest_session=.*; path=\/;.*samesite=strict; httponly/i)
    expect((await bench.call('POST', '/first-account', { name: 'x', password: 'long enough' }, {})).body.code).toBe(
      'ACCOUNTS_EXIST',
    )
  })
  test('names are the same in any case, passwords are not', async () => {
    expect((await bench.call('POST', '/session', { ...credentials, name: 'OWNER@example.org' }, {})).status).toBe(200)
    expect((await bench.call('POST', '/session', { ...credentials, password: 'LONG ENOUGH' }, {})).body.code).toBe(
      'WRONG_PASSWORD',
    )
    expect((await bench.call('POST', '/session', { name: 'nobody', password: 'x' }, {})).body.code).toBe(
      'WRONG_PASSWORD',
    )
    expect((await bench.call('POST', '/accounts', { ...credentials, name: 'owner@example.ORG' })).body.code).toBe(
      'NAME_TAKEN',
    )
  })
  test('a session opens the API until it is left', async () => {
    const { headers } = await bench.call('POST', '/session', credentials, {})
    const cookie = cookieOf(headers)
    expect((await bench.call('GET', '/sites', undefined, { cookie })).status).toBe(200)
    await bench.call('DELETE', '/session', undefined, { cookie })
    expect((await bench.call('GET', '/sites', undefined, { cookie })).status).toBe(401)
  })
  test('a request that another site causes is refused, whatever cookie it brings', async () => {
    const { headers } = await bench.call('POST', '/session', credentials, {})
    const cookie = cookieOf(headers)
    for (const foreign of [{ 'sec-fetch-site': 'cross-site' }, { origin: 'http://evil.example' }] as Record<
      string,
      string
    >[])
      expect((await bench.call('POST', '/tokens', { name: 'x' }, { cookie, ...foreign })).body.code).toBe('OTHER_SITE')
    expect((await bench.call('POST', '/tokens', { name: 'x' }, { cookie, origin: bench.url })).status).toBe(201)
  })
  test('API tokens open the API, are shown once, kept as digests, and can be deleted', async () => {
    const { headers } = await bench.call('POST', '/session', credentials, {})
    const cookie = cookieOf(headers)
    const { body: made } = await bench.call('POST', '/tokens', { name: 'report' }, { cookie })
    const bearer = { authorization: `Bearer ${made.token}` }
    expect((await bench.call('GET', '/sites', undefined, bearer)).status).toBe(200)
    const { body: listed } = await bench.call('GET', '/tokens', undefined, { cookie })
    expect(JSON.stringify(listed)).not.toContain(made.token)
    expect(listed.find((one: { id: string }) => one.id === made.id).lastUsedAt).not.toBeNull()
    await bench.call('DELETE', `/tokens/${made.id}`, undefined, { cookie })
    expect((await bench.call('GET', '/sites', undefined, bearer)).status).toBe(401)
  })
  test('guessing is slowed down after ten wrong tries', async () => {
    for (let i = 0; i < 10; i++) await bench.call('POST', '/session', { name: 'guessed', password: 'x' }, {})
    expect((await bench.call('POST', '/session', { name: 'Guessed', password: 'x' }, {})).status).toBe(429)
  })
})

describe('every endpoint', () => {
  test('needs an account or a token, except those that cannot', async () => {
    const endpoints = endpointsOf(bench.services)
    const open = endpoints.filter(({ access }) => access === 'open').map(({ method, path }) => `${method} ${path}`)
    expect(open.sort()).toEqual([
      'delete /session',
      'get /setup-file.schema.json',
      'get /welcome',
      'post /edge-acks',
      'post /edge-checks',
      'post /edge-joins',
      'post /edge-reports',
      'post /first-account',
      'post /session',
      'post /sites/:siteId/content-changes/:key',
      'post /sites/:siteId/events',
    ])
    for (const { method, path, access } of endpoints) {
      if (access === 'open') continue
      const answer = await bench.call(method.toUpperCase(), path, method === 'get' ? undefined : {}, {})
      expect([path, answer.status]).toEqual([path, 401])
    }
    expect((await bench.call('GET', '/live-events', undefined, {})).status).toBe(401)
  })
  test('is described in OpenAPI 3.1', async () => {
    const { body } = await bench.call('GET', '/openapi.json', undefined, {})
    expect(body.openapi).toBe('3.1.0')
    const described = Object.entries(body.paths).flatMap(([path, operations]) =>
      Object.keys(operations as object).map((method) => `${method} ${path}`),
    )
    expect(described.sort()).toEqual(
      endpointsOf(bench.services)
        .map(({ method, path }) => `${method} ${path.replaceAll(/:(\w+)/g, '{$1}')}`)
        .sort(),
    )
    const order = body.paths['/sites/{siteId}/measurements'].post
    expect(order.parameters).toEqual([{ name: 'siteId', in: 'path', required: true, schema: { type: 'string' } }])
    expect(order.requestBody.content['application/json'].schema.properties.sides.type).toBe('array')
    expect(order.responses['202'].content['application/json'].schema.properties.jobId).toEqual({
      type: 'string',
    })
  })
})

describe('bad input is a problem with a sentence (RFC 9457), and nothing is lost', () => {
  test.each([
    ['no JSON', '{"address":', 400, 'NOT_JSON'],
    ['an address that is none', { address: 'not an address' }, 422, 'BAD_INPUT'],
    ['another scheme', { address: 'ftp://x.example' }, 422, 'BAD_INPUT'],
    ['a body over the limit', { address: 'x'.repeat(1_100_000) }, 413, 'BODY_TOO_LARGE'],
    ['nothing', undefined, 422, 'BAD_INPUT'],
  ])('%s', async (_what, body, status, code) => {
    const answer = await bench.call('POST', '/site-checks', body, {
      authorization: `Bearer ${TOKEN}`,
      'content-type': 'application/json',
    })
    expect([answer.status, answer.body.code]).toEqual([status, code])
    expect(answer.body.detail).toMatch(/\w{3,}/)
    expect(answer.headers.get('content-type')).toContain('application/problem+json')
  })
  test('an address that the API does not have', async () => {
    const answer = await bench.call('GET', '/nothing-here')
    expect([answer.status, answer.body.code]).toEqual([404, 'NO_ROUTE'])
  })
  test('delivery not answering is said, and the setup is sent later', async () => {
    const { DeliveryClient } = await import('../../delivery/control/client.ts')
    await expect(
      new DeliveryClient('/nowhere.sock', 0).purge({
        siteId: 's',
        what: { kind: 'everything' },
        manner: 'hard',
      }),
    ).rejects.toThrow('does not answer')
  })
})

describe('content events (RFC 9421)', () => {
  const send = async (
    {
      path = `/api/v1/sites/${site.id}/events`,
      secret = '',
      keyid = site.id,
      age = 0,
      nonce = randomUUID(),
      tamper = '',
    } = {},
    paths: string[] = ['/notices/fog', '/'],
  ) => {
    const target = (await bench.call('GET', `/sites/${site.id}/event-target`)).body
    const body = JSON.stringify({ change: 'notice edited', paths })
    const digest = `sha-256=:${createHash('sha256').update(body).digest('base64')}:`
    const params = signatureParams(COVERED, { created: Math.floor(Date.now() / 1000) - age, nonce, keyid })
    const values: Record<string, string> = { '@method': 'POST', '@path': path, 'content-digest': digest }
    const signature = createHmac('sha256', secret || target.secret)
      .update(signatureBase(COVERED, (name) => values[name]!, params))
      .digest('base64')
    return bench.call('POST', `/sites/${site.id}/events`, body + tamper, {
      'content-type': 'application/json',
      'content-digest': digest,
      'signature-input': `sig1=${params}`,
      signature: `sig1=:${signature}:`,
    })
  }
  test('purge what they name before they are answered', async () => {
    expect((await send()).status).toBe(200)
    expect(bench.purges.map(({ siteId, what, manner }) => ({ siteId, what, manner }))).toContainEqual({
      siteId: site.id,
      what: { kind: 'paths', paths: ['/notices/fog', '/', '/notices'] },
      manner: 'hard',
    })
  })
  test.each([
    ['another secret', { secret: 'guess' }],
    ['another site’s key', { keyid: 'other' }],
    ['another address', { path: '/api/v1/sites/other/events' }],
    ['an old signature', { age: 301 }],
    ['a body that was changed', { tamper: ' ' }],
  ])('%s is refused and purges nothing', async (_what, how) => {
    const before = bench.purges.length
    const answer = await send(how)
    expect([answer.status, answer.body.code]).toEqual([401, 'BAD_SIGNATURE'])
    expect(bench.purges.length).toBe(before)
  })
  test('the same event does not count twice', async () => {
    const nonce = randomUUID()
    expect((await send({ nonce })).status).toBe(200)
    expect((await send({ nonce })).body.detail).toContain('already carried out')
  })
})
