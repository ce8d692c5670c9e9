import { chmodSync, readdirSync, readFileSync, statSync, writeFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { eq, sql } from 'drizzle-orm'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { RuleId } from '../../core/contracts/server-rules.ts'
import { jobs } from '../db/schema.ts'
import { placings } from '../db/server-rules-schema.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'
import { hasApache, OPTIONAL, WebServer } from '../testing/web-servers.ts'

const TEXT = 'The ferry leaves the quay at nine. '.repeat(100)
const FILES = {
  'index.html': `<!doctype html><title>Quay</title><link rel=stylesheet href=/look.css><p>${TEXT}`,
  'look.css': `/* ${TEXT} */`,
}
/** Line endings of another system, and a word that is not UTF-8. */
const PRESENT = Buffer.from('# rules of the caf\xe9\r\nDirectoryIndex index.html\r\n', 'latin1')
const WANTED: RuleId[] = ['compression', 'lifetimes', 'validators']

/** Control, and the real web server of a site whose folder it reaches. */
describe.runIf(hasApache)('rules on the web server of a site', () => {
  let bench: ServerBench
  let server: WebServer | undefined
  let siteId: string
  let file: string

  const open = async (overrides?: string): Promise<void> => {
    server = await WebServer.apache(FILES, '', OPTIONAL, overrides)
    file = join(server.site, '.htaccess')
    writeFileSync(file, PRESENT)
    chmodSync(file, 0o604)
    bench.siteFolders.push(server.site)
    const site = {
      ...{ address: `http://127.0.0.1:${server.port}`, name: 'Test Quay', liveHost: 'live.example' },
      ...{ trialHost: 'trial.example', privateAddresses: 'allowed', sample: [{ path: '/', kind: 'Home page' }] },
    }
    siteId = (await bench.call('POST', '/sites', site)).body.id
    await bench.call('PUT', at('/file-connection'), { place: { protocol: 'folder', folder: server.site } })
  }
  beforeEach(async () => void (bench = await ServerBench.open()))
  afterEach(async () => {
    await bench.close()
    await server?.stop()
    server = undefined
  })
  const at = (path: string): string => `/sites/${siteId}${path}`
  const presentText = async (): Promise<string> =>
    (await bench.call('GET', at('/server-rules/file?name=.htaccess'))).body.text
  const rehearse = async (present: string, wanted = WANTED): Promise<Json> => {
    const choice = { kind: 'apache', wanted }
    expect((await bench.call('POST', at('/server-rules/rehearsals'), { choice, present })).status).toBe(202)
    await bench.services.jobs.idle()
    return (await bench.call('GET', at('/server-rules/rehearsals'))).body[0]
  }
  const place = async (order: object): Promise<Json> => {
    const { status, body } = await bench.call('POST', at('/server-rules/placings'), order)
    if (status !== 202) return body
    await bench.services.jobs.idle()
    return (await bench.call('GET', at('/server-rules/placings'))).body[0]
  }
  const put = async (): Promise<Json> => place({ action: 'put', rehearsalId: (await rehearse(await presentText())).id })
  const names = (): string[] => readdirSync(server!.site).filter((name) => name.startsWith('.ht'))

  test('are put there once they were rehearsed, are confirmed, and come out again to the byte', async () => {
    await open()
    const done = await put()
    expect(done.result).toMatchObject({ outcome: 'in-force', holds: 'new', missing: [] })
    expect(done.result.backup).toMatch(/^\.htaccess\.zest-\d{8}-\d{6}$/)
    expect(readFileSync(join(server!.site, done.result.backup))).toEqual(PRESENT)
    const css = await server!.ask('/look.css', { 'accept-encoding': 'br' })
    expect([css.headers['content-encoding'], css.status]).toEqual(['br', 200])
    // Only the block is new: what is around it keeps its bytes, its line endings and its permissions.
    expect(readFileSync(file).subarray(-PRESENT.length)).toEqual(PRESENT)
    expect(statSync(file).mode & 0o777).toBe(0o604)
    expect((await place({ action: 'take-out' })).result).toMatchObject({ outcome: 'in-force', holds: 'new' })
    expect(readFileSync(file)).toEqual(PRESENT)
    const { body: ledger } = await bench.call('GET', at('/ledger'))
    expect(ledger.slice(0, 2).map(({ title }: Json) => title)).toEqual([
      'Server rules taken out of the web server',
      'Server rules put on the web server',
    ])
    expect((await place({ action: 'take-out' })).result).toMatchObject({ outcome: 'nothing-done' })
  })
  test('a file that was not there is gone again once the rules are taken out', async () => {
    await open()
    rmSync(file)
    expect(await presentText()).toBeNull()
    await place({ action: 'put', rehearsalId: (await rehearse('')).id })
    expect(names()).toEqual(['.htaccess'])
    await place({ action: 'take-out' })
    expect(names().filter((name) => name === '.htaccess')).toEqual([])
  })
  test('are put back at once where the real server does not take what the rehearsal took', async () => {
    await open('AuthConfig Indexes')
    const { result } = await put()
    expect(result).toMatchObject({ outcome: 'put-back', holds: 'as-before' })
    expect(result.sentence).toBe(
      '/ is answered with status 500; before it was 200. The file was put back as it was, and the site answers as before.',
    )
    expect(readFileSync(file)).toEqual(PRESENT)
    expect((await server!.ask('/')).status).toBe(200)
  })
  test('what the real server does not do is named, though nothing breaks', async () => {
    await open('None')
    const { result } = await put()
    expect(result.outcome).toBe('in-force')
    expect(result.missing[0]).toContain('is not compressed (content-encoding), as it was in the rehearsal')
  })
  test('nothing is done to another file than the rehearsed one, nor without a rehearsal that broke nothing', async () => {
    await open()
    const rehearsed = await rehearse(await presentText())
    writeFileSync(file, '# changed since\n')
    const done = await place({ action: 'put', rehearsalId: rehearsed.id })
    expect(done.result.outcome).toBe('nothing-done')
    expect(readFileSync(file, 'utf8')).toBe('# changed since\n')
    expect((await place({ action: 'put', rehearsalId: 'x' })).code).toBe('NOT_REHEARSED')
    const broken = await rehearse('<Files "x">\n')
    expect(broken.result.outcome).toBe('present-broken')
    expect((await place({ action: 'put', rehearsalId: broken.id })).code).toBe('NOT_REHEARSED')
  })
  test('nothing is done while the site does not answer', async () => {
    await open()
    const rehearsed = await rehearse(await presentText())
    const { site } = server!
    await bench.services.db.execute(sql`update sites set address = 'http://127.0.0.1:1'`)
    const { result } = await place({ action: 'put', rehearsalId: rehearsed.id })
    expect(result).toMatchObject({ outcome: 'nothing-done', holds: 'as-before' })
    expect(readFileSync(join(site, '.htaccess'))).toEqual(PRESENT)
  })
  test('a change that a restart broke off is taken back', async () => {
    await open()
    const done = await put()
    const { db } = bench.services
    await db.update(placings).set({ result: null }).where(eq(placings.id, done.id))
    await db.update(jobs).set({ state: 'running', finishedAt: null }).where(eq(jobs.id, done.jobId))
    await bench.restartJobs()
    await bench.services.jobs.idle()
    const { body } = await bench.call('GET', at('/server-rules/placings'))
    expect(body[0].result).toMatchObject({ outcome: 'put-back', holds: 'as-before' })
    expect(readFileSync(file)).toEqual(PRESENT)
  })
})

describe('what opens the files of a site', () => {
  let bench: ServerBench
  let path: string
  beforeEach(async () => {
    bench = await ServerBench.open()
    path = `/sites/${(await bench.connect()).id}/file-connection`
  })
  afterEach(() => bench.close())
  const place = { protocol: 'sftp', address: '127.0.0.1:1', user: 'keeper', folder: '/site' }
  const secret = { kind: 'password', password: 'nine quays' }

  test('is kept encrypted, shown to nobody, and told to no other server', async () => {
    expect((await bench.call('PUT', path, { place, secret })).body).toMatchObject({ place, secret: 'encrypted' })
    expect(JSON.stringify((await bench.call('GET', path)).body)).not.toContain('nine quays')
    const { rows } = (await bench.services.db.execute(sql`select secret from file_connections`)) as unknown as Json
    expect(rows[0].secret).toMatch(/^sealed1\./)
    expect((await bench.call('PUT', path, { place: { ...place, folder: '/other' } })).body.secret).toBe('encrypted')
    expect((await bench.call('PUT', path, { place: { ...place, address: 'elsewhere.example' } })).body.secret).toBe(
      'missing',
    )
  })
  test('is only in memory where it is not to be kept', async () => {
    expect((await bench.call('PUT', path, { place, secret, keep: 'not-kept' })).body.secret).toBe('in-memory')
    await bench.restartJobs()
    // The API of this bench still knows it: what counts is that the database does not.
    const { rows } = (await bench.services.db.execute(sql`select secret from file_connections`)) as unknown as Json
    expect(rows[0].secret).toBeNull()
  })
  test('is tried, and why it does not work is said', async () => {
    await bench.call('PUT', path, { place, secret })
    const { body } = await bench.call('POST', `${path}/trials`)
    expect(body.trial).toMatchObject({ outcome: 'failed', fingerprint: null })
    expect(body.trial.sentence).toBe('127.0.0.1:1: Nothing answers there. Check the host, the port and the protocol.')
    expect((await bench.call('DELETE', path)).status).toBe(204)
    expect((await bench.call('GET', path)).body).toMatchObject({ place: null, secret: 'none' })
    expect((await bench.call('POST', `${path}/trials`)).status).toBe(404)
  })
  test('places that make no sense are refused', async () => {
    for (const wrong of [
      { ...place, address: '' },
      { ...place, address: 'http://files.example' },
      { protocol: 'webdav', address: 'files.example' },
      { protocol: 'folder', folder: 'site' },
    ])
      expect([wrong, (await bench.call('PUT', path, { place: wrong })).status]).toEqual([wrong, 422])
    await bench.call('PUT', path, { place: { protocol: 'folder', folder: '/etc' } })
    expect((await bench.call('POST', `${path}/trials`)).body.trial.sentence).toContain('ZEST_SITE_FOLDERS')
  })
})
