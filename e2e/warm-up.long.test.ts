import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Traffic } from '../core/contracts/delivery.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import type { PlannerFacts } from '../core/contracts/planner.ts'
import { SimulationResult } from '../core/contracts/simulations.ts'
import type { Site } from '../core/contracts/sites.ts'
import type { Coverage, StorePage } from '../core/contracts/store.ts'
import type { WarmUpState } from '../core/contracts/warm-up.ts'
import { accessibilityProblems } from './accessibility.ts'
import { openBrowser, openFerrySite, runProgram, Stack, TOKEN } from './stack.ts'

/** Nobody pays for the rebuild: pages are there before they are asked for. */

let stack: Stack
let browser: Browser
let page: Page
let site: Site

beforeAll(async () => {
  stack = await Stack.start(19_300)
  browser = await openBrowser()
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
  page.setDefaultTimeout(60_000)
  const [first] = await stack.api<Site[]>('GET', '/sites')
  if (first === undefined) throw new Error('There is no site.')
  site = first
  const { setup, revision } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
  for (const id of ['pageCache', 'compression', 'minify'] as const) setup.remedies[id].enabled = true
  const trial = await stack.api<Trial>('PUT', `/sites/${site.id}/trial`, { setup, revision })
  await stack.api('POST', `/sites/${site.id}/trial/keep`, { note: 'stored pages', revision: trial.revision })
  await openFerrySite(page, stack.url)
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
})

const state = (): Promise<WarmUpState> => stack.api('GET', `/sites/${site.id}/warm-up`)
const coverage = (): Promise<Coverage> => stack.api('GET', `/sites/${site.id}/coverage`)

describe('a warm-up', () => {
  test('begins with a sentence, and with a button that is there', async () => {
    await page.getByRole('navigation').getByRole('link', { name: 'Store' }).click()
    await page.getByRole('tab', { name: 'Warm-up' }).click()
    await page.getByText('The list is read with the first round.').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('is set as the owner wants it', async () => {
    await page.getByText('What is loaded, how fast and when').click()
    await page.getByLabel('Requests per minute').fill('3000')
    await page.getByLabel('Requests at a time').fill('8')
    await page.getByLabel('Server wait, times its quiet median').fill('5')
    await page.getByLabel('Lowest priority in the sitemap').fill('0.8')
    await page.getByLabel('Start rounds automatically').check()
    await page.getByLabel('When Zest Lamp starts').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByRole('button', { name: 'Save settings' }).click()
    await page.getByText('Rounds start automatically.').waitFor()
    expect((await state()).settings).toMatchObject({ automatic: true, perMinute: 3000, atOnce: 8, leastPriority: 0.8 })
  })

  test('after everything was purged, a round shows its progress and ends with what it did', async () => {
    await stack.api('POST', `/sites/${site.id}/purges`, { kind: 'everything' })
    await page.getByRole('button', { name: 'Warm up now' }).click()
    await page
      .getByRole('contentinfo', { name: 'Jobs' })
      .getByText(/\d+ of \d+/)
      .waitFor()
    await page.getByText(/Last round: \d\d pages/).waitFor({ timeout: 180_000 })
    await page
      .getByText(/Your server \(origin\) answered \d+ requests/)
      .first()
      .waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  }, 240_000)

  test('then every page that was to be warmed is a hit, rewritten, in Brotli', async () => {
    const rows = (await coverage()).rows.filter(({ priority }) => (priority ?? 0) >= 0.8)
    expect(rows.length).toBeGreaterThan(20)
    for (const { address } of rows) {
      const { cacheStatus, body } = await stack.visit(address, { accept: 'text/html' })
      expect(`${address} ${cacheStatus}`).toContain('hit')
      // Minified: the ferry site's own pages are full of comments.
      expect(`${address} ${body.includes('<!-- ')}`).toBe(`${address} false`)
    }
    const stored = await stack.api<StorePage>('POST', `/sites/${site.id}/store`, { pagesOnly: true, limit: 500 })
    expect(stored.entries.filter(({ bytes }) => bytes['br'] === undefined).map(({ address }) => address)).toEqual([])
  })

  test('the store says who filled it, and the round what visitors were spared', async () => {
    await page.getByRole('tab', { name: 'Everything stored' }).click()
    const stored = page.getByRole('table', { name: 'Stored responses' })
    await stored.getByRole('cell', { name: 'warm-up' }).first().waitFor()
    await page.getByRole('tab', { name: 'Warm-up' }).click()
    await page.getByText(/Since then \d+ visits found a page ready/).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('an edit is warmed again behind it: its next visitor does not wait', async () => {
    const path = '/timetables/winter-line'
    const before = (await state()).rounds.length
    await stack.api('POST', `/sites/${site.id}/purges`, { kind: 'paths', paths: [path] })
    await expect.poll(async () => (await state()).rounds.length, { timeout: 30_000 }).toBeGreaterThan(before)
    await expect
      .poll(async () => (await coverage()).rows.find(({ address }) => address === path)?.state, { timeout: 30_000 })
      .toBe('fresh')
    expect((await stack.visit(path, { accept: 'text/html' })).cacheStatus).toContain('hit')
  })

  test('is ordered from the command line, too', async () => {
    await stack.api('POST', `/sites/${site.id}/purges`, { kind: 'paths', paths: ['/about'] })
    const env = { ZEST_API_TOKEN: TOKEN, ZEST_URL: stack.url }
    const done = await runProgram('zest', env, ['warm', 'orrin.localhost', '/stories', '/basket'])
    expect([done.code, done.output]).toEqual([0, expect.stringMatching(/1 cannot be stored|pages? loaded/)])
    const wrong = await runProgram('zest', env, ['warm', 'orrin.localhost', 'http://elsewhere.example/'])
    expect([wrong.code, wrong.errors]).toEqual([1, expect.stringContaining('is not an address of this site')])
  })
})

describe('prefetch', () => {
  interface Entry {
    deliveryType: string
    transferSize: number
  }
  const prefetched = async (): Promise<number> =>
    (await stack.api<Traffic>('GET', `/sites/${site.id}/traffic`)).channels.find(({ channel }) => channel === 'live')
      ?.prefetches.served ?? 0

  test('the next page of a visit was there before it was asked for, and sign-out was not', async () => {
    const { setup, revision } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
    setup.remedies.prefetch.enabled = true
    const trial = await stack.api<Trial>('PUT', `/sites/${site.id}/trial`, { setup, revision })
    await stack.api('POST', `/sites/${site.id}/trial/keep`, { note: 'prefetch', revision: trial.revision })
    for (const path of ['/', '/stories']) await stack.visit(path, { accept: 'text/html' })
    // Rewriting may take longer than a visitor waits.
    await expect
      .poll(async () => (await stack.visit('/', { accept: 'text/html' })).body, { timeout: 30_000 })
      .toContain('zest-next')
    await stack.prepared(site.id)
    const visitor = await browser.newContext()
    const tab = await visitor.newPage()
    const requests: string[] = []
    tab.on('request', (request) => requests.push(request.url()))
    await tab.goto(`http://orrin.localhost:${stack.basePort + 10}/`)
    const paths = await tab.evaluate(
      () => (JSON.parse(document.getElementById('zest-next')?.textContent ?? '{}') as { paths: string[] }).paths,
    )
    expect(paths).toContain('/stories')
    expect(paths.filter((path) => /sign|basket|editor|search/.test(path))).toEqual([])
    const before = await prefetched()
    await tab.locator('a[href="/stories"]').first().hover()
    await expect.poll(prefetched, { timeout: 15_000 }).toBeGreaterThan(before)
    await tab.locator('a[href="/stories"]').first().click()
    await tab.waitForURL('**/stories')
    const entry = await tab.evaluate(() => {
      const [navigation] = performance.getEntriesByType('navigation') as unknown as Entry[]
      return { deliveryType: navigation?.deliveryType, transferSize: navigation?.transferSize }
    })
    // Resource Timing: the value for a page that was prefetched by speculation rules.
    expect(entry.deliveryType).toBe('navigational-prefetch')
    await visitor.close()
  })

  test('what visitors usually open next is fetched as soon as a page is shown, and the owner can correct it', async () => {
    const live = `http://orrin.localhost:${stack.basePort + 10}`
    const sums = async () =>
      (await stack.api<Traffic>('GET', `/sites/${site.id}/traffic`)).channels.find(({ channel }) => channel === 'live')
        ?.prefetches
    for (let i = 0; i < 25; i++) {
      await stack.visit('/', { accept: 'text/html' })
      await stack.visit('/notices', { accept: 'text/html', referer: `${live}/` })
    }
    const visitor = await browser.newContext()
    const tab = await visitor.newPage()
    const before = await sums()
    await tab.goto(`${live}/`)
    // Nothing is pointed at or pressed.
    await expect.poll(async () => (await sums())?.served ?? 0, { timeout: 15_000 }).toBeGreaterThan(before?.served ?? 0)
    await tab.locator('a[href="/notices"]').first().click()
    await tab.waitForURL('**/notices')
    await expect.poll(async () => (await sums())?.ready ?? 0, { timeout: 15_000 }).toBeGreaterThan(before?.ready ?? 0)
    expect((await sums())?.usedBytes).toBeGreaterThan(before?.usedBytes ?? 0)
    await visitor.close()
    const remedies = await page.context().newPage()
    await remedies.goto(`${stack.url}/sites/${site.id}/remedies?remedy=prefetch`)
    const row = remedies.getByRole('row').filter({ hasText: /Home page → \/notices/ })
    await expect.poll(() => row.textContent(), { timeout: 15_000 }).toContain('Fetched at once')
    const rules = async () => (await stack.api<Trial>('GET', `/sites/${site.id}/trial`)).setup.remedies.prefetch.rules
    const rule = remedies.getByLabel('Your rule for /notices after Home page')
    await rule.selectOption({ label: 'Never' })
    await expect.poll(() => row.textContent()).toContain('Never fetched')
    expect(await rules()).toEqual([{ page: '/', next: '/notices', fetch: 'never' }])
    await rule.selectOption({ label: 'By visits' })
    await expect.poll(rules).toEqual([])
    await remedies.close()
  })
})

describe('the planner', () => {
  beforeAll(async () => {
    // A lifetime that no plan proposes: what is proposed differs from what is live.
    const { setup, revision } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
    setup.remedies.pageCache.lifetimeS = 61
    const trial = await stack.api<Trial>('PUT', `/sites/${site.id}/trial`, { setup, revision })
    await stack.api('POST', `/sites/${site.id}/trial/keep`, { note: 'short lifetime', revision: trial.revision })
  })

  test('proposes settings within the owner’s bounds, and puts them into the trial', async () => {
    await page.getByRole('tab', { name: 'Planner' }).click()
    await page.getByLabel('Visits to try the plan on').selectOption({ label: 'An assumption: so many visits per day' })
    await page.getByLabel('Page visits per day').fill('500')
    await page.getByLabel('Changes per day of Notices', { exact: true }).fill('6')
    await page.getByText(/Simulated: [\d,]+ visits over/).waitFor()
    const propose = page.getByRole('button', { name: 'Propose' })
    await propose.click()
    await page.getByText(/settings tried, [\d,]+ keep your bounds/).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    const put = page.getByRole('button', { name: 'Put the plan into the trial' })
    await put.click()
    await page.getByText(/is in the trial\. Keep the trial/).waitFor()
    const { setup } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
    const { plan } = await stack.api<PlannerFacts>('GET', `/sites/${site.id}/planner`)
    expect(setup.remedies.pageCache.lifetimeS).toBe(plan?.settings.lifetimeS)
    expect(plan?.predicted.coldPerMille).toBeLessThan(500)
  }, 120_000)

  test('begins its warm-up when the trial is kept', async () => {
    const { revision } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
    await stack.api('POST', `/sites/${site.id}/trial/keep`, { note: 'plan', revision })
    const plan = async () => (await stack.api<PlannerFacts>('GET', `/sites/${site.id}/planner`)).plan
    await expect.poll(async () => (await plan())?.liveAt, { timeout: 15_000 }).not.toBeNull()
    const { automatic, everyH } = (await plan())?.settings.warmUp ?? {}
    expect((await state()).settings).toMatchObject({ automatic, everyH })
  })

  test('tries settings and looks for some from the command line', async () => {
    const env = { ZEST_API_TOKEN: TOKEN, ZEST_URL: stack.url }
    const plan = (...options: string[]) => runProgram('zest', env, ['plan', site.id, '--visits', '500', ...options])
    const tried = await plan('--lifetime', '2d', '--warm-up', 'off')
    expect(tried.output).toMatch(/simulated: \d+ page visits in [\d.]+ days/)
    expect(tried.output).toMatch(/cold visits per 1,000 +[\d.]+ +[\d.]+/)
    const { code, output } = await plan('--propose', '--origin-per-day', '3000', '--oldest', '4h', '--json')
    expect(code).toBe(0)
    const proposed = SimulationResult.parse(JSON.parse(output.slice(output.indexOf('{\n'))))
    expect(proposed.search?.bounds).toEqual({ originPerDay: 3000, oldestS: 4 * 3600 })
    expect(proposed.search?.kept).toBeGreaterThan(0)
    expect(
      proposed.search?.points.some(({ settings }) => settings.lifetimeS === proposed.plan?.settings.lifetimeS),
    ).toBe(true)
  }, 120_000)
})
