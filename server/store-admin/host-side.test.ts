import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { Site } from '../../core/contracts/sites.ts'
import { ContentSystem } from '../../standins/systems/content-system.ts'
import { NOTICES } from '../../standins/systems/habits.ts'
import { ServerBench } from '../testing/server-bench.ts'

/** What is done at the owner's host: a cache there is purged along, and scheduled work is set going. */

let bench: ServerBench
let site: Site
let host: Server
let asked: string[]
let status: number
beforeEach(async () => {
  asked = []
  status = 200
  host = createServer((req, res) => {
    asked.push(`${req.method} ${req.url} ${String(req.headers['x-purge-key'] ?? '')}`.trim())
    if (req.method === 'PURGE') return void res.writeHead(status).end()
    res
      .writeHead(200, { 'content-type': 'text/html', 'x-cache': 'HIT from front.quay.example', age: '9' })
      .end('<title>Quay</title>')
  })
  await new Promise<void>((done) => host.listen(0, '127.0.0.1', done))
  bench = await ServerBench.open()
  bench.siteUrl = `http://127.0.0.1:${(host.address() as AddressInfo).port}`
  site = await bench.connect()
  asked.length = 0
})
afterEach(async () => {
  await bench.close()
  host.close()
  host.closeAllConnections()
})
const at = (path: string): string => `/sites/${site.id}${path}`
const save = (more: Record<string, unknown> = {}) => bench.call('PUT', at('/host-cache'), { hostCache: { ...more } })

describe('a cache at the host', () => {
  test('is found and named when the site is connected', () => {
    expect(site.check.findings.find(({ code }) => code === 'accelerator')?.sentence).toContain('front.quay.example')
  })
  test('is tried at once, and what came of it is told', async () => {
    expect((await save()).body.hostCache.last.problem).toBeNull()
    status = 405
    expect((await save()).body.hostCache.last.problem).toContain('answered PURGE / with status 405')
    expect(asked).toEqual(['PURGE /', 'PURGE /'])
  })
  test('is purged before the store, path by path, with the fields that the owner gave', async () => {
    await save({ address: '/front{path}', fields: [{ name: 'X-Purge-Key', value: 'k' }] })
    asked.length = 0
    await bench.call('POST', at('/purges'), { kind: 'paths', paths: ['/a', '/b'] })
    await bench.call('POST', at('/purges'), { kind: 'everything' })
    expect(asked).toEqual(['PURGE /front/a k', 'PURGE /front/b k', 'PURGE /front/* k'])
  })
  test('that fails stores nothing from being purged', async () => {
    await save()
    status = 500
    expect((await bench.call('POST', at('/purges'), { kind: 'paths', paths: ['/a'] })).status).toBe(200)
    expect(bench.purges.at(-1)?.what).toEqual({ kind: 'paths', paths: ['/a'] })
    expect((await bench.call('GET', at(''))).body.hostCache.last.problem).toContain('500')
  })
  test('that its owner removes while it is being told stays removed', async () => {
    await save()
    let answer: () => void = () => undefined
    host.removeAllListeners('request')
    host.on('request', (_req, res) => (answer = () => void res.writeHead(200).end()))
    const purging = bench.call('POST', at('/purges'), { kind: 'paths', paths: ['/a'] })
    const idle = answer
    await expect.poll(() => answer !== idle).toBe(true)
    await bench.call('PUT', at('/host-cache'), { hostCache: null })
    answer()
    await purging
    expect((await bench.call('GET', at(''))).body.hostCache).toBeNull()
  })
  test('at a host that is none of the site’s is not asked', async () => {
    const refused = await save({ address: 'http://other.example/{path}' })
    expect([refused.status, refused.body.code]).toEqual([422, 'OTHER_HOST'])
  })
})

describe('scheduled work', () => {
  test('is found in the page, and once it is called, posts that are due are published', async () => {
    const system = new ContentSystem(NOTICES)
    bench.siteUrl = await system.open()
    const added = system.add('Due a moment ago', Date.now() + 1)
    const { body } = await bench.call('POST', '/sites', {
      address: bench.siteUrl,
      name: 'N',
      liveHost: 'n.localhost',
      trialHost: 'trial.n.localhost',
      privateAddresses: 'allowed',
    })
    const proposed = body.check.findings.find(({ code }: { code: string }) => code === 'scheduled-work').evidence[0]
    await expect.poll(() => Date.now()).toBeGreaterThan(added.publishedAt)
    const saved = await bench.call('PUT', `/sites/${body.id}/scheduled-work`, {
      scheduledWork: { path: proposed, everyMinutes: 5 },
    })
    expect(saved.body.scheduledWork).toMatchObject({ path: '/cron/run', last: { problem: null } })
    expect(added.state).toBe('published')
    system.close()
  })
  test('whose address fails says so', async () => {
    status = 200
    const saved = await bench.call('PUT', at('/scheduled-work'), { scheduledWork: { path: '/cron', everyMinutes: 5 } })
    expect(saved.body.scheduledWork.last.problem).toBeNull()
    host.close()
    host.closeAllConnections()
    const failed = await bench.call('PUT', at('/scheduled-work'), { scheduledWork: { path: '/cron', everyMinutes: 5 } })
    expect(failed.body.scheduledWork.last.problem).toContain('Nothing answers')
  })
})
