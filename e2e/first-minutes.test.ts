import pLimit from 'p-limit'
import type { Browser, BrowserContext, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest'
import { INTERFACE_PATHS } from '../core/contracts/interface-paths.ts'
import type { Job } from '../core/contracts/jobs.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { SafetyCheck } from '../core/contracts/safety.ts'
import type { Site } from '../core/contracts/sites.ts'
import { ContentSystem } from '../standins/systems/content-system.ts'
import { NOTICES } from '../standins/systems/habits.ts'
import { accessibilityProblems } from './accessibility.ts'
import { openBrowser, Stack, withQuickPhone } from './stack.ts'

/** The first five minutes of somebody who has just installed it: no demo, no site, no documentation. Then every view as they left it. */

const LAPTOP = { width: 1280, height: 800 }
const PHONE = { width: 400, height: 860 }
const NAME = 'Merrick'
const PASSWORD = 'between two quays'
let stack: Stack
let system: ContentSystem
let browser: Browser
let context: BrowserContext
let page: Page
let site: Site
const complaints: string[] = []

const hear = (heard: Page): Page => {
  heard.setDefaultTimeout(45_000)
  heard.on('pageerror', (error) => complaints.push(error.message))
  return heard
}

beforeAll(async () => {
  stack = await Stack.fresh(19_200)
  system = new ContentSystem(NOTICES)
  browser = await openBrowser()
  context = await browser.newContext({ viewport: LAPTOP })
  page = hear(await context.newPage())
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
  system?.close()
})

const press = (name: string) => page.getByRole('button', { name, exact: true }).click()
const allJobsDone = () =>
  vi.waitUntil(async () => (await stack.api<Job[]>('GET', '/jobs')).every(({ state }) => state === 'done'), {
    timeout: 120_000,
    interval: 500,
  })

describe('a fresh installation', () => {
  test('asks for a first account, and then for a first site, with one button each', async () => {
    await page.goto(stack.url)
    await page.getByRole('heading', { name: 'Create the first account' }).waitFor()
    await page.getByLabel('Name or e-mail address').fill(NAME)
    await page.getByLabel('Password').fill(PASSWORD)
    await press('Create account')
    await page.getByText('Connect your first site').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await press('Connect a site')
    await page.getByLabel('Address of your web server (origin)').fill(await system.open())
    await press('Check the site')
    await press('It is mine: check it anyway')
    await page.getByRole('heading', { name: 'Sample pages' }).waitFor()
    await press('Connect')
    await page.getByText(/has not been measured yet/).waitFor()
    site = (await stack.api<Site[]>('GET', '/sites'))[0]!
  })
  test.each([
    ['Remedies', /^Measure the site first/],
    ['Store', /the page cache is off/],
    ['Today', /has not been measured yet/],
  ])('%s says what comes next', async (place, sentence) => {
    await page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name: place, exact: true }).click()
    await page.getByText(sentence).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
})

describe('the set-up guide', () => {
  const step = (name: string) => page.getByRole('region', { name })
  test('asks whether this is the site, and how careful to be', async () => {
    await page.getByRole('link', { name: 'Set-up guide' }).click()
    await step('What we found').getByText('No other cache or accelerator was found.').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await press('Yes, continue')
    await step('How careful')
      .getByRole('radio', { name: /^Delivery Store, compress/ })
      .waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await press('Continue')
  })
  test('measures, and says how fast the pages open', async () => {
    // One page as one visitor is enough here.
    await withQuickPhone(stack, { ...site, visitors: site.visitors.filter(({ device }) => device === 'phone') })
    await stack.api('PUT', `/sites/${site.id}/sample`, site.sample.slice(0, 1))
    await page.reload()
    await press('Measure now')
    await page.getByRole('progressbar').first().waitFor()
    await step('Measure')
      .getByText(/Home page as “Phone”: main content after \d/)
      .waitFor({ timeout: 120_000 })
    await press('Continue')
  })
  test('puts it into the trial, is left, and goes on where it was', async () => {
    await press('Yes, try them')
    await step('Look').getByRole('link', { name: 'Open trial' }).waitFor()
    await page.getByRole('link', { name: 'Leave the guide' }).click()
    await page.getByText(/Decide on the trial/).waitFor()
    await page.goto(`${stack.url}/sites/${site.id}/start`)
    await step('Look').getByRole('link', { name: 'Open trial' }).waitFor()
    await press('Compare automatically')
    await step('Look')
      .getByText(/^intact/)
      .waitFor({ timeout: 120_000 })
    expect(await accessibilityProblems(page)).toEqual([])
    await press('Yes, it does')
  })
  test('shows an honest verdict, and publishes', async () => {
    await press('Measure how much faster it is')
    // The made-up system answers within milliseconds, so that there may be nothing to gain: then that is what it says.
    const verdict = step('Keep').getByText(/^(?:Faster by|No measurable difference)/)
    await verdict.first().waitFor({ timeout: 180_000 })
    await press('Yes, publish it')
    await step('Keep').getByText('Visitors now get version 2.').waitFor()
    const { changes } = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
    expect(changes).toEqual([])
  })
})

describe('every view', () => {
  const paths: string[] = []
  beforeAll(async () => {
    await allJobsDone()
    const [measurement] = await stack.api<MeasurementHead[]>('GET', `/sites/${site.id}/measurements`)
    const { runs } = await stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${measurement!.id}`)
    const [check] = await stack.api<SafetyCheck[]>('GET', `/sites/${site.id}/safety-checks`)
    const parts: Record<string, string> = {
      ':siteId': site.id,
      ':measurementId': measurement!.id,
      ':runId': runs.find(({ purpose }) => purpose === 'look')!.id,
      ':checkId': check!.id,
    }
    paths.push(...INTERFACE_PATHS.map((path) => path.replaceAll(/:\w+/g, (part) => parts[part]!)))
  })
  const settled = async (seen: Page): Promise<void> => {
    await seen.locator('h1').first().waitFor({ state: 'attached' })
    await seen.waitForLoadState('networkidle').catch(() => undefined)
  }
  const cookies = () => context.cookies()

  /** Every path is opened once, by a browser that has nothing yet, and seen as each of these. */
  const SEEN_AS = [
    ['light', LAPTOP],
    ['dark', LAPTOP],
    ['light', PHONE],
  ] as const
  const problems: string[][] = SEEN_AS.map(() => [])
  const sizes: [string, number][] = []
  const look = async (path: string): Promise<void> => {
    const empty = await browser.newContext({ viewport: LAPTOP, colorScheme: 'light' })
    await empty.addCookies(await cookies())
    const seen = hear(await empty.newPage())
    let bytes = 0
    seen.on('response', (response) => {
      // Compressed, as they come; the fields of the responses are not counted.
      if (!new URL(response.url()).pathname.startsWith('/api/'))
        bytes += Number(response.headers()['content-length'] ?? 0)
    })
    await seen.goto(stack.url + path)
    await settled(seen)
    sizes.push([path, bytes])
    for (const [index, [colorScheme, viewport]] of SEEN_AS.entries()) {
      await seen.emulateMedia({ colorScheme })
      await seen.setViewportSize(viewport)
      await seen.locator(`.v-theme--${colorScheme}`).first().waitFor()
      problems[index]!.push(...(await accessibilityProblems(seen)).map((problem) => `${path}: ${problem}`))
      // WCAG 2.2, 1.4.10: nothing is cut off, and only tables scroll sideways.
      const wide = await seen.evaluate(() => document.querySelector('#main, main')!.scrollWidth - innerWidth)
      if (wide > 0) problems[index]!.push(`${path}: ${wide} px wider than the screen`)
    }
    await empty.close()
  }
  beforeAll(async () => {
    // One waits for its page while the other is looked through.
    const two = pLimit(2)
    await Promise.all(paths.map((path) => two(() => look(path))))
  })

  test.each(SEEN_AS.map(([theme, viewport], index) => ({ theme, viewport, index })))(
    'is accessible in the $theme theme at $viewport.width px',
    ({ index }) => expect(problems[index]).toEqual([]),
  )

  test('needs at most 180 kB on a first visit, fonts included', () => {
    expect(sizes.filter(([, bytes]) => bytes > 180_000)).toEqual([])
    // Each of them loaded something, so that the sum is one.
    expect(sizes.filter(([, bytes]) => bytes < 100_000)).toEqual([])
    expect(sizes).toHaveLength(paths.length)
  })

  test('can be reached by keyboard alone', async () => {
    await page.goto(`${stack.url}/sites/${site.id}`)
    await page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name: 'Measure', exact: true }).waitFor()
    for (const [key, name] of [
      ['2', 'Measure'],
      ['3', 'Remedies'],
      ['4', 'Store'],
      ['?', 'Keyboard'],
    ] as const) {
      await page.keyboard.press(key)
      await page.getByRole('heading', { level: 1, name, exact: true }).waitFor({ state: 'attached' })
    }
    await page.keyboard.press('Control+k')
    await page.getByRole('combobox', { name: 'What to do' }).fill('set-up')
    await page.keyboard.press('Escape')
    await page.getByRole('dialog').waitFor({ state: 'detached' })
  })
  test('without an error in the interface', () => expect(complaints).toEqual([]))
})
