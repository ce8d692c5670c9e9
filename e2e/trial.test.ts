import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Site } from '../core/contracts/sites.ts'
import { accessibilityProblems } from './accessibility.ts'
import { inTrial, openBrowser, openFerrySite, Stack } from './stack.ts'
import { switchOnInTrial, type SomeRemedies } from './remedy-list.ts'

/** Nothing broken, every change worth its place: the ferry site through the real interface in Chromium. */

let stack: Stack
let browser: Browser
let page: Page
let site: Site
const complaints: string[] = []
/** A page without large pictures, near and quick, so that many loads take little time. */
let notice: Site['sample'][number]

beforeAll(async () => {
  stack = await Stack.start(18_900, { ZEST_DEMO_HOSTING_WAIT_MS: '900' })
  browser = await openBrowser()
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
  page.on('pageerror', (error) => complaints.push(error.message))
  page.setDefaultTimeout(45_000)
  ;[site] = (await stack.api<Site[]>('GET', '/sites')) as [Site]
  notice = site.sample.find(({ path }) => path.startsWith('/notices/'))!
  await openFerrySite(page, stack.url)
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
})

const place = (name: string) =>
  page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name, exact: true }).click()
const trial = () => stack.api<Trial>('GET', `/sites/${site.id}/trial`)
const putIntoTrial = (remedies: SomeRemedies) => switchOnInTrial(stack, site, remedies)

describe('the trial', () => {
  test('is closed without its key, and opens from the interface', async () => {
    const visitor = await (await browser.newContext()).newPage()
    expect((await visitor.goto(site.trialUrl))?.status()).toBe(403)
    await visitor.getByText('This is a trial').waitFor()
    expect((await visitor.goto(inTrial(site)))?.status()).toBe(200)
    expect(visitor.url()).toBe(`${site.trialUrl}/`)
    const links = await visitor
      .locator('a[href]')
      .evaluateAll((all) => all.map((one) => (one as HTMLAnchorElement).host))
    expect(new Set(links)).toEqual(new Set([new URL(site.trialUrl).host]))
    await visitor.context().close()
  })
})

describe('publish, and step back', () => {
  test('a step back gives visitors the earlier bytes exactly', async () => {
    await place('Ledger')
    const before = await stack.visit(notice.path)
    await putIntoTrial({ pageCache: {}, minify: {} })
    const { revision } = await trial()
    await stack.api('POST', `/sites/${site.id}/trial/keep`, { revision })
    // Rewritten behind the first visitor's back.
    await expect.poll(async () => (await stack.visit(notice.path)).body).toContain('<html lang=en-GB>')
    await page.getByRole('button', { name: 'Step back to 1' }).click()
    await page.getByRole('button', { name: 'Step back to version 1' }).click()
    await page.getByRole('row', { name: /Version 1 .*what visitors get/ }).waitFor()
    expect((await stack.visit(notice.path)).body).toBe(before.body)
  })
  test('an earlier setup is read in from its file, into trial only', async () => {
    const file = await stack.api<object>('GET', `/sites/${site.id}/setup-file?version=2`)
    const choose = (content: object): Promise<void> =>
      page.getByLabel('Import a file').setInputFiles({
        name: 'setup.json',
        mimeType: 'application/json',
        buffer: Buffer.from(JSON.stringify(content)),
      })
    await choose(file)
    await page.getByText('would change in the trial of Orrin Sound Ferries').waitFor()
    await page.getByRole('button', { name: 'Put into the trial' }).click()
    await page.getByText('is now in the trial of Orrin Sound Ferries; live is unchanged').waitFor()
    expect((await trial()).setup.remedies.minify.enabled).toBe(true)
    await choose({ ...file, formatVersion: 9 })
    await page.getByText(/has format 9, written by a newer Zest Lamp/).waitFor()
  })
  test('the report says in plain words what it was and what it would be', async () => {
    await page.getByRole('link', { name: 'Report for a client' }).click()
    await page.getByRole('heading', { name: 'Orrin Sound Ferries: before and after' }).waitFor()
    await page.getByRole('heading', { name: 'What was changed, and what it gained' }).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('no error in the interface meanwhile', () => expect(complaints).toEqual([]))
})
