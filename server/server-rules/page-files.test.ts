import { chmodSync, existsSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { ServerPages } from '../../core/contracts/server-pages.ts'
import { Setup } from '../../core/contracts/setup.ts'
import { withBlock } from '../../core/server-rules/marked-block.ts'
import type { ServerFacts } from '../../core/server-rules/rule.ts'
import { rulesText, serverRules } from '../../core/server-rules/server-rules.ts'
import { askedSiteOf } from '../net/asked-site.ts'
import { siteRow } from '../sites/sites.ts'
import { readSource } from '../watching/read-source.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'
import { hasApache, OPTIONAL, WebServer } from '../testing/web-servers.ts'
import { afterChange, orderDueServerPages } from './page-files-due.ts'

const page = (text: string): string =>
  `<!doctype html><html><meta charset="utf-8"><title>Quay</title><link rel=stylesheet href=/look.css><p>${text}</p></html>`
const FILES = {
  'index.html': page('Departures'),
  'storm/index.html': page('The storm'),
  'half/index.html': '<!doctype html><html><meta charset="utf-8"><p>cut off',
  'basket/index.html': page('Your basket'),
  'look.css': 'p { color: teal }',
}
const HOUR_MS = 3_600_000

/** Control, and a real web server that hands out files of pages by the rules. */
describe.runIf(hasApache)('pages as files on the web server of a site', () => {
  let bench: ServerBench
  let server: WebServer
  let siteId: string

  beforeEach(async () => {
    bench = await ServerBench.open()
    server = await WebServer.apache(FILES, '', OPTIONAL)
    const address = `http://127.0.0.1:${server.port}`
    const facts = {
      host: null,
      brotli: 'not-there' as const,
      preloads: [],
      address,
      originKey: null,
    } satisfies ServerFacts
    const rules = rulesText(serverRules('apache', Setup.parse({}), facts, ['storedPages']))
    writeFileSync(join(server.site, '.htaccess'), withBlock('', rules))
    bench.siteFolders.push(server.site)
    const paths = ['/', '/storm/', '/half/', '/basket/', '/?page=2']
    const site = {
      ...{ address, name: 'Test Quay', liveHost: 'live.example', trialHost: 'trial.example' },
      ...{ privateAddresses: 'allowed', sample: paths.map((path) => ({ path, kind: 'Page' })) },
    }
    siteId = (await bench.call('POST', '/sites', site)).body.id
    await bench.call('PUT', `/sites/${siteId}/file-connection`, { place: { protocol: 'folder', folder: server.site } })
  })
  afterEach(async () => {
    await bench.close()
    await server.stop()
  })
  const run = async (what: 'write' | 'remove'): Promise<ServerPages> => {
    expect((await bench.call('POST', `/sites/${siteId}/server-pages/runs`, { what })).status).toBe(202)
    await bench.services.jobs.idle()
    return told()
  }
  const told = async (): Promise<ServerPages> => (await bench.call('GET', `/sites/${siteId}/server-pages`)).body as Json
  const seen = async (path: string, fields: Record<string, string> = {}): Promise<[text: string, from: string]> => {
    const { body, headers } = await server.ask(path, fields)
    const from = /zest-files/.test(String(headers['cache-status'])) ? 'file' : 'site'
    return [/<p>([^<]*)/.exec(body.toString())?.[1] ?? '', from]
  }
  const change = (file: string, text: string): void => writeFileSync(join(server.site, file), page(text))
  const settings = (everyMinutes: number | null) =>
    bench.call('PUT', `/sites/${siteId}/server-pages`, { everyMinutes, most: 50 })

  test('are handed out by the server, and those that cannot be files are named with the reason', async () => {
    expect(await seen('/storm/')).toEqual(['The storm', 'site'])
    const { files, last, goodUntil } = await run('write')
    expect({ files, written: last?.written, problem: last?.problem }).toEqual({ files: 2, written: 2, problem: null })
    // Pages that pass through, and addresses with a query, are not asked for at all.
    expect(last?.left).toEqual([{ path: '/half/', why: 'Its end is missing, so it may not be whole.' }])
    expect(Date.parse(goodUntil ?? '')).toBeGreaterThan(Date.now())
    expect(await seen('/storm/')).toEqual(['The storm', 'file'])
    expect(await seen('/')).toEqual(['Departures', 'file'])
    expect(await seen('/storm/', { cookie: 'quay_session=1' })).toEqual(['The storm', 'site'])
    const entries = (await bench.call('GET', `/sites/${siteId}/ledger`)).body as Json
    expect(JSON.stringify(entries)).toContain('Pages written to the web server')
  })
  test('follow a change that is told, and otherwise what is compared in time', async () => {
    await run('write')
    change('storm/index.html', 'The calm')
    expect(await seen('/storm/')).toEqual(['The storm', 'file'])
    await afterChange(bench.services, siteId, ['/storm/'])
    await bench.services.jobs.idle()
    expect(await seen('/storm/')).toEqual(['The calm', 'file'])
    expect((await told()).last).toMatchObject({ written: 1, unchanged: 1 })
    change('storm/index.html', 'The swell')
    await settings(60)
    await orderDueServerPages(bench.services)
    await bench.services.jobs.idle()
    expect(await seen('/storm/')).toEqual(['The calm', 'file'])
    await orderDueServerPages({ ...bench.services, now: () => new Date(Date.now() + HOUR_MS) })
    await bench.services.jobs.idle()
    expect(await seen('/storm/')).toEqual(['The swell', 'file'])
  })
  test('go with their page, and all of them at a word, until they are wanted again', async () => {
    await run('write')
    rmSync(join(server.site, 'storm'), { recursive: true })
    expect((await run('write')).last).toMatchObject({
      removed: 1,
      left: [{ path: '/half/' }, { path: '/storm/' }].reverse(),
    })
    expect((await server.ask('/storm/')).status).toBe(404)
    expect((await run('remove')).last).toMatchObject({ what: 'remove', removed: 1, problem: null })
    expect(await seen('/')).toEqual(['Departures', 'site'])
    expect(await told()).toMatchObject({ files: 0, goodUntil: null })
    expect(
      readdirSync(join(server.site, 'zest-pages'), { recursive: true, withFileTypes: true }).filter((one) =>
        one.isFile(),
      ),
    ).toEqual([])
    await settings(5)
    await afterChange(bench.services, siteId, ['/'])
    await orderDueServerPages({ ...bench.services, now: () => new Date(Date.now() + HOUR_MS) })
    await bench.services.jobs.idle()
    expect(await told()).toMatchObject({ files: 0 })
  })
  test('stay while the site is in trouble, and come back where somebody has removed their folder', async () => {
    await run('write')
    // Apache answers 500 to a page whose own rules it cannot read; the file is looked for first.
    writeFileSync(join(server.site, 'storm/.htaccess'), 'NoSuchWord on')
    expect((await run('write')).last?.left).toContainEqual({ path: '/storm/', why: 'It is answered with status 500.' })
    expect(existsSync(join(server.site, 'zest-pages/pages/storm/-page.html'))).toBe(true)
    rmSync(join(server.site, 'storm/.htaccess'))
    rmSync(join(server.site, 'zest-pages'), { recursive: true })
    expect((await run('write')).last).toMatchObject({ written: 2, unchanged: 0 })
    expect(await seen('/storm/')).toEqual(['The storm', 'file'])
  })
  test('do not hide a change from Zest Lamp itself', async () => {
    await run('write')
    const row = await siteRow(bench.services.db, siteId)
    const before = await readSource(askedSiteOf(row), { path: '/', kind: 'home' })
    change('index.html', 'Arrivals')
    expect(await seen('/')).toEqual(['Departures', 'file'])
    expect(await readSource(askedSiteOf(row), { path: '/', kind: 'home' })).not.toEqual(before)
  })
  test('that nobody knows of any more are removed: nobody would renew them', async () => {
    await run('write')
    const folder = join(server.site, 'zest-pages/pages')
    writeFileSync(join(folder, 'gone-page.html'), page('Gone'))
    writeFileSync(join(folder, 'storm/-page.html'), page('By another hand'))
    expect((await server.ask('/gone')).body.toString()).toContain('Gone')
    expect((await run('write')).last).toMatchObject({ removed: 1, written: 1, unchanged: 1 })
    expect((await server.ask('/gone')).status).toBe(404)
    expect(await seen('/storm/')).toEqual(['The storm', 'file'])
  })
  test('that have changed are asked for again by delivery, which may have taken the page before from its file', async () => {
    await run('write')
    change('storm/index.html', 'The calm')
    const purges = bench.purges.length
    await run('write')
    expect(bench.purges.slice(purges)).toEqual([
      { siteId, what: { kind: 'paths', paths: ['/storm/'] }, manner: 'soft' },
    ])
  })
  test('that cannot be written say why, and nothing is half-done', async () => {
    writeFileSync(join(server.site, 'zest-pages'), 'in the way')
    chmodSync(join(server.site, 'zest-pages'), 0o444)
    const { last, files } = await run('write')
    expect([files, last?.problem]).toEqual([0, expect.stringMatching(/\.$/)])
    expect(readFileSync(join(server.site, 'zest-pages'), 'utf8')).toBe('in the way')
    expect(await seen('/storm/')).toEqual(['The storm', 'site'])
  })
  test('follow a change that was told although they could not be written at once', async () => {
    await run('write')
    change('storm/index.html', 'The calm')
    const moved = `${server.site}-away`
    renameSync(server.site, moved)
    await afterChange(bench.services, siteId, ['/storm/'])
    await bench.services.jobs.idle()
    expect((await told()).last?.problem).not.toBeNull()
    renameSync(moved, server.site)
    // A moment later it would most likely fail again; some minutes later it is tried.
    await orderDueServerPages(bench.services)
    await bench.services.jobs.idle()
    expect(await seen('/storm/')).toEqual(['The storm', 'file'])
    await orderDueServerPages({ ...bench.services, now: () => new Date(Date.now() + HOUR_MS / 4) })
    await bench.services.jobs.idle()
    expect(await seen('/storm/')).toEqual(['The calm', 'file'])
  })
  test('need a way to the files, and are not for everybody', async () => {
    await bench.call('DELETE', `/sites/${siteId}/file-connection`)
    expect((await bench.call('POST', `/sites/${siteId}/server-pages/runs`, { what: 'write' })).status).toBe(404)
    expect((await bench.call('PUT', `/sites/${siteId}/server-pages`, { everyMinutes: 1, most: 50 })).status).toBe(422)
    expect((await bench.call('GET', '/sites/none/server-pages')).status).toBe(404)
  })
})
