import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, expect, test } from 'vitest'
import type { PurgeResult } from '../core/contracts/delivery.ts'
import type { EdgeInfo } from '../core/contracts/edges.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Site } from '../core/contracts/sites.ts'
import { accessibilityProblems } from './accessibility.ts'
import { inTrial, openBrowser, openFerrySite, runProgram, Stack, TOKEN } from './stack.ts'

/** A machine becomes an edge, serves visitors, and hears of what is purged. */

const BASE = 19_700
/** The edge's own base port: it listens ten above. */
const EDGE_BASE = 19_740
let stack: Stack
let browser: Browser
let page: Page
let site: Site
let folder: string
let edge: ChildProcess | undefined

beforeAll(async () => {
  stack = await Stack.start(BASE)
  browser = await openBrowser()
  folder = await mkdtemp(join(tmpdir(), 'zest-e2e-edge-'))
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
  page.setDefaultTimeout(60_000)
  site = (await stack.api<Site[]>('GET', '/sites'))[0]!
  const { setup, revision } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
  for (const id of ['pageCache', 'compression', 'minify'] as const) setup.remedies[id].enabled = true
  const trial = await stack.api<Trial>('PUT', `/sites/${site.id}/trial`, { setup, revision })
  await stack.api('POST', `/sites/${site.id}/trial/keep`, { note: 'stored pages', revision: trial.revision })
  await openFerrySite(page, stack.url)
})
const stopEdge = async (): Promise<void> => {
  if (edge === undefined || edge.exitCode !== null) return
  const ended = new Promise((done) => edge!.once('exit', done))
  edge.kill('SIGTERM')
  await ended
}
afterAll(async () => {
  await browser?.close()
  await stopEdge()
  await stack?.stop()
  await rm(folder, { recursive: true, force: true, maxRetries: 5 })
})

const edges = (): Promise<EdgeInfo[]> => stack.api('GET', '/edges')
/** How the last hop answered a visitor of the edge. */
const atEdge = (path: string): Promise<string> =>
  new Promise((done, reject) => {
    const headers = { host: `orrin.localhost:${BASE + 10}` }
    request({ host: '127.0.0.1', port: EDGE_BASE + 10, path, headers, agent: false }, (res) => {
      res.resume()
      res.on('end', () => done(String(res.headers['cache-status']).split(', ').at(-1)!))
    })
      .on('error', reject)
      .end()
  })

test('the owner adds an edge, and gets the command that makes a machine one', async () => {
  await page.getByRole('navigation').getByRole('link', { name: 'Edges' }).click()
  await page.getByText('No edge yet.').waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
  await page.getByRole('button', { name: 'Add an edge' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Skerry')
  await page.getByLabel('Host name or address, for visitors').fill('127.0.0.1')
  await page.getByLabel('Address by which it reaches').fill(`http://127.0.0.1:${BASE + 10}`)
  expect(await accessibilityProblems(page)).toEqual([])
  await page.getByRole('button', { name: 'Add this edge' }).click()
  const command = await page.getByLabel('Command').innerText()
  expect(command).toMatch(/^npm run edge -- --join http:\/\/127\.0\.0\.1:19700 --token \S+$/)
  await page.getByText('Waiting for its machine to join').waitFor()

  const [, ...words] = command.split(' -- ')
  edge = spawn('node', [join(resolve(import.meta.dirname, '..'), 'scripts/edge.mjs'), ...words[0]!.split(' ')], {
    env: { ...process.env, ZEST_PORT: String(EDGE_BASE), ZEST_DATA_DIR: folder, ZEST_PUBLIC_HTTP_PORT: `${BASE + 10}` },
    stdio: ['ignore', 'ignore', 'inherit'],
  })
  await page.getByText('Serves the current setup').waitFor()
})

test('its visitors get what home has made, from its own store the second time', async () => {
  expect(await atEdge('/')).toContain('fwd=uri-miss')
  await expect.poll(() => atEdge('/')).toMatch(/^zest-lamp-edge; hit/)
  expect((await edges())[0]).toMatchObject({ name: 'Skerry', state: 'connected', setup: 'in-force', problem: null })
})

test('a far visitor is measured from home and through it, regions are chosen, and what it has cost is seen', async () => {
  const far = { name: 'Farside', latitude: 41.2, longitude: -68.4 }
  const [own] = await edges()
  await stack.api('PUT', `/sites/${site.id}/places`, {
    origin: { name: 'Orrin', latitude: 57.1, longitude: -7.2 },
    hosts: [],
  })
  const visitors = site.visitors.filter(({ device }) => device === 'laptop').map((one) => ({ ...one, place: far }))
  await stack.api('PUT', `/sites/${site.id}/visitors`, visitors)
  const { name, address, port, securePort, homeUrl, siteIds, whenAway } = own!
  const placed = {
    name,
    address,
    port: EDGE_BASE + 10,
    securePort,
    homeUrl,
    siteIds,
    whenAway,
    place: { ...far, name: 'Skerry' },
  }
  expect(port).not.toBe(placed.port)
  await stack.api('PUT', `/edges/${own!.id}`, placed)
  await page.reload()
  await page.getByText('Nearest is Skerry:').waitFor()
  await page.getByRole('button', { name: 'Measure home against the nearest edge' }).click()
  // Three thousand kilometres are some fifty milliseconds of each round trip.
  await page.getByText(/Home page as “.*faster by/i).waitFor({ timeout: 400_000 })

  await page.getByRole('tab', { name: 'Choose regions' }).click()
  await page.getByLabel('Price list (CSV)').setInputFiles({
    name: 'prices.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      'name,latitude,longitude,per_month,per_gb,per_million_requests\nSkerry,41.2,-68.4,12,0.08,0.6\nCape,-33.9,18.4,20,0.1,0.6\n',
    ),
  })
  await page.getByLabel('Page visits a month').fill('40000')
  await page.getByRole('button', { name: 'Choose regions' }).click()
  await page
    .getByText(/No region saves anything within this budget|a month, main content .* faster on average/)
    .waitFor()
  const costs = page.getByRole('table', { name: 'Cost of your edges this month' })
  await costs.getByRole('row', { name: /Skerry Skerry .* 12\.\d\d/ }).waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
  await page.getByRole('tab', { name: 'Your edges' }).click()
})

test('what is purged is gone there when the answer comes, and the answer says so', async () => {
  const { edges: confirmed } = await stack.api<PurgeResult>('POST', `/sites/${site.id}/purges`, {
    kind: 'paths',
    paths: ['/'],
  })
  expect(confirmed).toMatchObject([{ edge: 'Skerry', state: 'confirmed' }])
  expect(await atEdge('/')).toContain('fwd=uri-miss')
})

test('the command line lists it', async () => {
  const env = { ZEST_URL: stack.url, ZEST_API_TOKEN: TOKEN }
  const { code, output } = await runProgram('zest', env, ['edges'])
  expect([code, output]).toEqual([0, expect.stringMatching(/Skerry\s+connected\s+setup in force/)])
})

test('a machine that stops is shown as not heard, and since when', async () => {
  await expect.poll(() => atEdge('/')).toMatch(/hit/)
  await stopEdge()
  await page.getByText('Not connected since').waitFor()
})

test('removed, it is gone from the list', async () => {
  await page.getByRole('button', { name: 'Change Skerry' }).click()
  await page.getByRole('button', { name: 'Remove this edge' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Remove', exact: true }).click()
  await page.getByText('No edge yet.').waitFor()
  expect(await edges()).toEqual([])
})

test('a rented CDN is set up at its provider, tried in the trial, and compared with what was set', async () => {
  await page.getByRole('tab', { name: 'Rented CDN' }).click()
  // The demo's provider is entered already.
  await page.getByLabel('Address of the provider’s API').waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Set it up' }).click()
  await page.getByText('The provider serves your site at').waitFor()
  await page.getByRole('button', { name: 'Switch it on in the trial' }).click()
  await page.getByText('“Files from a CDN” is on in the trial.').waitFor()

  // The first time its visitor would wait too long, and the page comes as it is.
  const trialHost = new URL(site.trialUrl).hostname
  await expect
    .poll(async () => (await stack.visit('/', {}, trialHost)).body, { timeout: 60_000 })
    .toContain(`http://d1.cdn.localhost:${BASE + 8}/`)
  const visitor = await (await browser.newContext()).newPage()
  const from = new Map<string, number>()
  const refused: string[] = []
  visitor.on('response', (response) => {
    const { host } = new URL(response.url())
    if (response.status() === 200) from.set(host, (from.get(host) ?? 0) + 1)
  })
  visitor.on('console', (message) => message.type() === 'error' && refused.push(message.text()))
  await visitor.goto(inTrial(site), { waitUntil: 'networkidle' })
  expect(from.get(`d1.cdn.localhost:${BASE + 8}`)).toBeGreaterThan(20)
  // Fonts of another host are used only where that host allows it (CORS).
  expect(
    await visitor.evaluate(() => [...document.fonts].filter(({ status }) => status === 'loaded').length),
  ).toBeGreaterThan(0)
  expect(refused.filter((text) => text.includes('CORS'))).toEqual([])
  expect((await stack.visit('/')).body).not.toContain('cdn.localhost')
  await visitor.context().close()

  await page.getByRole('button', { name: 'Compare the responses' }).click()
  // Live gives files no lifetime yet.
  await page.getByText('Live gives it no lifetime, so the CDN asks live for it every time.').first().waitFor()
  await page.getByText(/\d+ as set/).click()
  await page.getByText('The content is that of live.').first().waitFor()
  await page.getByRole('button', { name: 'Ask the provider', exact: true }).click()
  await page.getByText(/requests, \d+% answered by the CDN/).waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
  // Left as it was found: going live wants a trial that is decided.
  const { revision } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
  await stack.api('POST', `/sites/${site.id}/trial/back-out`, { revision })
})

test('going live is led step by step: the lines that change, the domain’s keeper, and who sees what', async () => {
  await page.getByRole('tab', { name: 'Going live' }).click()
  await page.getByRole('button', { name: 'Check all steps' }).click()
  await page.getByText('The trial is decided, and').waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
  await page.locator('summary b', { hasText: /^DNS$/ }).click()
  await page.getByLabel('Addresses of the machine Zest Lamp runs on').fill('127.0.0.1')
  await page.getByRole('button', { name: 'Show what changes' }).click()
  await page.getByText('Change these lines of the zone orrin.localhost.').waitFor()
  await page.getByRole('button', { name: 'Check all steps' }).click()
  await page.getByText('No name server shows the new address yet').waitFor()

  const keeper = await page.context().newPage()
  await keeper.goto(`http://127.0.0.1:${BASE + 7}/`)
  const zone = await keeper.getByLabel('Zone file').inputValue()
  expect(zone).toContain('192.0.2.80')
  await keeper.getByLabel('Zone file').fill(zone.replace('192.0.2.80', '127.0.0.1'))
  await keeper.getByRole('button', { name: 'Save' }).click()
  await expect.poll(() => keeper.getByLabel('Zone file').inputValue()).not.toContain('192.0.2.80')
  await keeper.close()

  await page.getByRole('button', { name: 'Check all steps' }).click()
  await page.getByText('Every name server that was asked shows the new address.').waitFor()
  // No authority vouches for a certificate that was made here, and that is said.
  await page.getByText('browsers do not trust its certificate').waitFor({ state: 'attached' })
  // Left and taken up again, it is where it was, with the records as they were.
  await page.reload()
  await page.getByRole('tab', { name: 'Going live' }).click()
  await page.locator('summary', { hasText: 'Way back' }).click()
  await page.getByText('orrin.localhost. 3600 A 192.0.2.80').waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
})
