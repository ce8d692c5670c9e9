import { readFile } from 'node:fs/promises'
import type { Browser, BrowserContext, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { LoadTest } from '../core/contracts/load-tests.ts'
import type { Site } from '../core/contracts/sites.ts'
import { resultSentences } from '../web/measure/load-words.ts'
import { accessibilityProblems } from './accessibility.ts'
import { openBrowser, openFerrySite, runProgram, Stack, TOKEN } from './stack.ts'
import { choose } from './choose.ts'
import { toEnd } from './to-end.ts'

/** Measuring, through the real interface in Chromium: whom, which pages, what was seen, what a change would be worth. */

let stack: Stack
let browser: Browser
let context: BrowserContext
let page: Page
let site: Site
const complaints: string[] = []
const MEASURED_MS = 400_000

beforeAll(async () => {
  stack = await Stack.start(18_500)
  browser = await openBrowser()
  context = await browser.newContext({ viewport: { width: 1280, height: 800 }, acceptDownloads: true })
  page = await context.newPage()
  page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()))
  page.on('pageerror', (error) => complaints.push(error.message))
  page.setDefaultTimeout(45_000)
  ;[site] = (await stack.api<Site[]>('GET', '/sites')) as [Site]
  await openFerrySite(page, stack.url)
  complaints.length = 0
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
})

const view = (name: string) =>
  page.getByRole('navigation', { name: 'Measuring' }).getByRole('link', { name, exact: true })
const openMeasure = () =>
  page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name: 'Measure', exact: true }).click()
const saved = async (button: string, last: string): Promise<void> => {
  // The button cannot be pressed while it saves, either: what says that it is done is the answer, the last where there are several.
  const answered = page.waitForResponse(
    (response) => response.request().method() === 'PUT' && response.url().endsWith(last),
  )
  await page.getByRole('button', { name: button }).click()
  await answered
  await expect.poll(() => page.getByRole('button', { name: button }).isDisabled()).toBe(true)
}
const now = () => stack.api<Site>('GET', `/sites/${site.id}`)

describe('quick check', () => {
  test('one address, without a browser: what it says, and what it could weigh', async () => {
    await openMeasure()
    await view('Quick check').click()
    await page.getByRole('button', { name: 'Check', exact: true }).click()
    await page.getByText('Sent without compression').waitFor()
    await page.getByText('Does not say how long it may be stored').waitFor()
    await page.getByRole('row', { name: /^Brotli 11/ }).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('the command line says the same; another host is not asked', async () => {
    const env = { ZEST_API_TOKEN: TOKEN, ZEST_URL: stack.url }
    const { code, output } = await runProgram('zest', env, ['check', `${site.liveUrl}/`, '--json'])
    expect(code).toBe(0)
    expect(JSON.parse(output).hops[0]).toMatchObject({ status: 200, protocol: 'http/1.1' })
    const refused = await runProgram('zest', env, ['check', 'http://127.0.0.1:1/'])
    expect([refused.code, refused.errors]).toEqual([1, expect.stringContaining('private network')])
  })
})

describe('whom and what to measure', () => {
  test('a journey is recorded by doing it', async () => {
    await view('Visitors and pages').click()
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByRole('button', { name: 'Record one' }).click()
    const dialog = page.getByRole('dialog')
    await dialog.getByLabel('Start at').fill('/account')
    await dialog.getByRole('button', { name: 'Open it' }).click()
    const picture = dialog.getByRole('img', { name: 'The page as it is now' })
    await picture.waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    const clickAt = async (x: number, y: number, step: string): Promise<void> => {
      const box = (await picture.boundingBox())!
      await picture.click({ position: { x: (x / 1000) * box.width, y: (y / 640) * box.height } })
      await dialog.getByRole('listitem').filter({ hasText: step }).first().waitFor()
    }
    const type = async (text: string): Promise<void> => {
      await dialog.getByLabel('Text for the clicked field').fill(text)
      await dialog.getByRole('button', { name: 'Type' }).click()
      await dialog
        .getByRole('listitem')
        .filter({ hasText: `“${text}”` })
        .waitFor()
    }
    await clickAt(200, 291, 'click on input')
    await type('rider')
    await clickAt(200, 377, 'click on input')
    await type('season')
    await dialog.getByRole('button', { name: 'Send the form' }).click()
    await dialog.getByRole('listitem').nth(3).waitFor()
    await dialog.getByRole('button', { name: 'Use these steps' }).click()
    await page.getByLabel('Name of the journey').fill('Season ticket')
    await saved('Save journeys', '/journeys')
    const { journeys } = await now()
    expect(journeys).toMatchObject([
      {
        name: 'Season ticket',
        steps: [
          { do: 'open', path: '/account' },
          { do: 'type', text: 'rider' },
          { do: 'type', text: 'season' },
          { do: 'click' },
        ],
      },
    ])
  })
  test('a visitor on a poor link, on a place of the map, signed in by that journey', async () => {
    await page.getByRole('button', { name: 'Add a visitor' }).click()
    const added = page.getByRole('group', { name: 'Visitor 3' })
    await added.getByLabel('Name').fill('Rider')
    const rider = page.getByRole('group', { name: 'Rider' })
    await choose(rider, 'Link', 'Good mobile')
    await choose(rider, 'Signed in by', 'Season ticket')
    const map = page.getByRole('img', { name: /^Map of places/ })
    await page.getByRole('button', { name: 'Choose on the map' }).last().click()
    await map.click({ position: { x: 240, y: 60 } })
    await rider.getByRole('button', { name: 'Choose on the map' }).click()
    await map.click({ position: { x: 260, y: 70 } })
    await expect.poll(() => rider.getByLabel('Latitude').inputValue()).not.toBe('')
    await saved('Save visitors', '/visitors')
    const { visitors, places, journeys } = await now()
    expect(visitors[2]).toMatchObject({
      name: 'Rider',
      downKbps: 32_000,
      journeyId: journeys[0]!.id,
      place: { name: 'Rider' },
    })
    expect(places.origin).not.toBeNull()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('a page is added to the sample, and another taken out', async () => {
    await page.getByRole('textbox', { name: 'Search for a page' }).fill('/quays/old')
    await page.getByRole('button', { name: 'Add /quays/old-pier' }).click()
    await page.getByRole('button', { name: 'Remove /gallery/boats-at-work', exact: true }).click()
    await saved('Save pages', '/sample')
    const paths = (await now()).sample.map(({ path }) => path)
    expect(paths).toContain('/quays/old-pier')
    expect(paths).not.toContain('/gallery/boats-at-work')
  })
})

describe('a measurement', () => {
  let head: MeasurementHead
  test('of the account page as the one who is signed in: the journey is followed before each load', async () => {
    const { visitors } = await now()
    const rider = visitors.find(({ name }) => name === 'Rider')!
    await stack.api('PUT', `/sites/${site.id}/sample`, [
      ...(await now()).sample.map(({ path, kind }) => ({ path, kind })),
      { path: '/account', kind: 'Account' },
    ])
    const account = (await now()).sample.find(({ path }) => path === '/account')!
    head = await stack.api('POST', `/sites/${site.id}/measurements`, {
      sides: ['live'],
      pageIds: [account.id],
      visitorIds: [rider.id],
      runs: 1,
    })
    await openMeasure()
    await page
      .getByLabel('Jobs')
      .getByText(/^Measuring live\s*done /)
      .waitFor({ timeout: MEASURED_MS })
    const { runs } = await stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${head.id}`)
    expect(runs.map(({ failure }) => failure)).toEqual([null, null, null])
    // Signed out this page sends visitors on to the form; signed in it answers itself.
    const run = await stack.api<{ requests: { url: string; status: number }[] }>(
      'GET',
      `/sites/${site.id}/measurements/${head.id}/runs/${runs[1]!.id}`,
    )
    expect(run.requests[0]).toMatchObject({ url: `${site.liveUrl}/account`, status: 200 })
  })
  test('shows what the visitor saw: filmstrip with a cursor, weight, and what a close look found', async () => {
    await stack.api('PUT', `/sites/${site.id}/trial`, {
      setup: { remedies: { pageCache: { enabled: true }, compression: { enabled: true } } },
    })
    head = await stack.api('POST', `/sites/${site.id}/measurements`, {
      sides: ['live', 'trial'],
      pageIds: [site.sample[0]!.id],
      visitorIds: ['laptop'],
      runs: 2,
    })
    await page.goto(`${stack.url}/sites/${site.id}/measure/${head.id}`)
    await page
      .getByLabel('Jobs')
      .getByText(/^Comparing live and trial\s*done /)
      .waitFor({ timeout: MEASURED_MS })
    const slider = page.getByRole('slider')
    await slider.waitFor()
    await slider.focus()
    await page.keyboard.press('Home')
    await expect.poll(() => slider.getAttribute('aria-valuetext')).toBe('0.00 s')
    await page.getByRole('img', { name: /^Live after 0.00 s: 0% of its final look/ }).waitFor()
    await page.getByRole('img', { name: /^Trial after 0.00 s/ }).waitFor()
    const [film] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name: 'Save the filmstrip as PNG' }).click(),
    ])
    expect((await readFile((await film.path())!)).subarray(1, 4).toString()).toBe('PNG')
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByRole('link', { name: /the waterfall of Home page, live, run 3/ }).click()
    await page.getByRole('heading', { name: 'Pictures without width and height' }).waitFor()
    await page.getByRole('heading', { name: 'Fonts that hid text' }).waitFor()
    await page.getByRole('rowheader', { name: 'third.localhost' }).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('lays another load above it, aligned by address', async () => {
    await choose(page, 'Compare with another load', 'Trial, detailed load')
    const table = page.getByRole('table', { name: /each with the request of the other load above it/ })
    await table.waitFor()
    await choose(page, 'Compared with the other load', /^later/)
    await table.getByRole('cell', { name: 'later' }).first().waitFor()
  })
  test('predicts what a change would be worth, before it is made', async () => {
    const figures = page.getByRole('table', { name: 'Predicted times' })
    // What stands above and below may still grow: the reader goes to the heading, as often as it has moved away.
    const heading = page.getByRole('heading', { name: 'What if' })
    await expect.poll(() => heading.scrollIntoViewIfNeeded().then(() => figures.count()), { timeout: 60_000 }).toBe(1)
    const seconds = async (row: string): Promise<number> =>
      parseFloat((await figures.getByRole('row', { name: row }).getByRole('cell').nth(2).textContent())!)
    const before = await seconds('Now')
    await page.getByLabel('Pictures weighed half').check()
    await figures.getByRole('row', { name: 'With the ticked changes' }).waitFor()
    expect(await seconds('With the ticked changes')).toBeLessThan(before)
  })
  test('goes out as an archive that comes in again, and as PNG, CSV and JSON', async () => {
    const download = async (name: string, role: 'button' | 'link' = 'button'): Promise<Buffer> => {
      const [file] = await Promise.all([
        page.waitForEvent('download'),
        page.getByRole('group', { name: 'Save' }).getByRole(role, { name }).click(),
      ])
      return readFile((await file.path())!)
    }
    expect((await download('PNG')).subarray(1, 4).toString()).toBe('PNG')
    expect((await download('CSV')).toString()).toMatch(/^url,type,status/)
    expect(JSON.parse((await download('JSON')).toString()).requests.length).toBeGreaterThan(80)
    const har = await download('HAR', 'link')
    expect(JSON.parse(har.toString()).log.version).toBe('1.2')
    await openMeasure()
    await page
      .getByLabel('Import an archive')
      .setInputFiles({ name: 'load.har', mimeType: 'application/json', buffer: har })
    await page.getByText('Read from an archive (HAR)').waitFor()
    await page.getByRole('link', { name: /^Open the waterfall/ }).click()
    await page.getByRole('table', { name: /Requests/ }).waitFor()
    await toEnd(page)
    await page.getByRole('heading', { name: 'What if' }).waitFor()
    await page.getByRole('rowheader', { name: 'Now' }).waitFor()
  })
  test('stands in the trend, drawn without the network', async () => {
    await openMeasure()
    await view('Over time').click()
    await page.locator('svg circle.median').first().waitFor()
    await page.getByRole('heading', { name: 'All measurements' }).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
})

describe('a load test', () => {
  test('needs the owner’s word, raises the rate up to the bound, and says what the origin handles', async () => {
    await openMeasure()
    await page.getByRole('link', { name: 'Load test' }).click()
    await page.getByText('No test has been run yet.').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByLabel(/^Live: /).uncheck()
    await page.getByLabel('Visitors a second, at most').fill('2')
    await page.getByLabel('Longest wait, seconds').fill('30')
    const start = page.getByRole('button', { name: 'Start the load test' })
    expect(await start.isDisabled()).toBe(true)
    await page.getByLabel(/^This site is mine to test/).check()
    await start.click()
    await page
      .getByLabel('Jobs')
      .getByText(/^Load test of origin\s*done /)
      .waitFor({ timeout: MEASURED_MS })
    // How much this machine handles is its own matter; what is shown is what was found.
    const [found] = await stack.api<LoadTest[]>('GET', `/sites/${site.id}/load-tests`)
    const { result, steps } = found!.curves[0]!
    expect(steps[0]).toMatchObject({ perSecond: 2, visitors: 20, fromStore: 0 })
    for (const sentence of resultSentences(result!, found!.bounds)) await page.getByText(sentence).waitFor()
    await page.getByText(/^\d+ rates?$/).click()
    const rows = page.getByRole('table', { name: 'Rates tried at Origin' }).getByRole('row')
    expect(await rows.count()).toBe(1 + steps.length)
    expect(await rows.nth(1).getByRole('cell').allTextContents()).toEqual(
      expect.arrayContaining(['20', '0%', ...(steps[0]!.answered === 20 ? ['none'] : [])]),
    )
    expect(await accessibilityProblems(page)).toEqual([])
  })
})

describe('routine', () => {
  test('a limit that live crosses is told on Today', async () => {
    await view('Routine').click()
    await page.getByLabel('Main content, s for Laptop').fill('0.1')
    await saved('Save routine', '/routine')
    expect(await accessibilityProblems(page)).toEqual([])
    await stack.api('POST', `/sites/${site.id}/measurements`, {
      sides: ['live'],
      pageIds: [site.sample[0]!.id],
      visitorIds: ['laptop'],
      runs: 1,
    })
    await page
      .getByText(/The main content of the home page as “Laptop” takes .* your limit is 0.1 s/)
      .waitFor({ timeout: MEASURED_MS })
    await page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name: 'Today' }).click()
    await page.getByRole('heading', { name: 'Messages from the routine' }).waitFor()
    await page.getByRole('button', { name: 'Mark all as read' }).click()
    await expect.poll(() => page.getByRole('heading', { name: 'Messages from the routine' }).count()).toBe(0)
  })
  test('the interface itself had nothing to complain about', () => expect(complaints).toEqual([]))
})
