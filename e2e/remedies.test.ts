import type { Browser, BrowserContext, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { PageChanges } from '../core/contracts/delivery.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Site } from '../core/contracts/sites.ts'
import { GUIDES } from '../core/catalogue/guides.ts'
import { REMEDIES } from '../core/catalogue/remedies.ts'
import { accessibilityProblems } from './accessibility.ts'
import { inTrial, openBrowser, openFerrySite, Stack, withQuickPhone } from './stack.ts'
import { choose } from './choose.ts'
import { toEnd } from './to-end.ts'
import { opened, switchOf, trialSection } from './remedy-list.ts'

/** Remedies that rewrite, through the real interface in Chromium: read about, tried, looked at, cut back, and the page still whole. */

let stack: Stack
let browser: Browser
let context: BrowserContext
let page: Page
let site: Site
const complaints: string[] = []

beforeAll(async () => {
  stack = await Stack.start(18_700, { ZEST_DEMO_HOSTING_WAIT_MS: '900' })
  browser = await openBrowser()
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } })
  page = await context.newPage()
  page.on('pageerror', (error) => complaints.push(error.message))
  page.setDefaultTimeout(45_000)
  ;[site] = (await stack.api<Site[]>('GET', '/sites')) as [Site]
  await openFerrySite(page, stack.url)
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
})

const openRemedies = () =>
  page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name: 'Remedies', exact: true }).click()
const trial = () => stack.api<Trial>('GET', `/sites/${site.id}/trial`)
const switchOn = async (name: string): Promise<void> => {
  await switchOf(page, name).click()
  await trialSection(page).getByText(`${name} switched on`, { exact: true }).waitFor()
}
const measure = async (sides: string[]): Promise<Measurement> => {
  const head = await stack.api<MeasurementHead>('POST', `/sites/${site.id}/measurements`, {
    sides,
    pageIds: [site.sample[0]!.id],
    visitorIds: ['phone'],
    runs: 1,
  })
  const found = () => stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${head.id}`)
  await expect.poll(async () => (await found()).state, { timeout: 400_000, interval: 1000 }).toBe('done')
  return found()
}

/** What a visitor has before their eyes once they have gone through the whole page: words, pictures, and what scripts have done. */
const seenBy = async (url: string) => {
  const visitor = await browser.newContext({ viewport: { width: 390, height: 844 } })
  const visit = await visitor.newPage()
  const errors: string[] = []
  visit.on('pageerror', (error) => errors.push(error.message))
  await visit.goto(url, { waitUntil: 'networkidle' })
  await visit.evaluate(async () => {
    for (let y = 0; y < document.body.scrollHeight; y += 400) {
      window.scrollTo(0, y)
      await new Promise((resolve) => requestAnimationFrame(resolve))
    }
  })
  await visit.waitForLoadState('networkidle')
  await visit.waitForFunction(() => [...document.images].every((image) => image.complete))
  await visit.getByRole('button', { name: 'Menu' }).click()
  const seen = await visit.evaluate(() => ({
    words: document.body.innerText.replaceAll(/\s+/g, ' '),
    pictures: [...document.images].map((image) => [
      image.alt,
      image.naturalWidth > 0,
      Math.round(image.getBoundingClientRect().width),
      Math.round(image.getBoundingClientRect().height),
    ]),
    slider: document.querySelectorAll('.slider.ready .slide.shown').length,
    menu: document.querySelector('.main-menu')?.classList.contains('open') ?? false,
    departures: document.querySelectorAll('#departures li').length,
  }))
  await visitor.close()
  return { ...seen, errors }
}

describe('what is slow', () => {
  test('before anything was measured it says what to do', async () => {
    await openRemedies()
    await page.getByText('Measure the site first').waitFor()
    await page.getByRole('button', { name: 'Measure now' }).waitFor()
  })
  test('after a measurement findings come with evidence and seconds, most first, and lead to their remedies', async () => {
    await measure(['origin'])
    const pictures = page.getByRole('row', { name: /Pictures are larger than the screen shows/ })
    await pictures.waitFor()
    expect(await pictures.innerText()).toMatch(/MB: about .* less/)
    expect(await pictures.innerText()).toMatch(/predicted \d.*s faster/)
    await page.getByText('The host is slow').waitFor()
    const detail = await opened(page, 'Picture formats and sizes')
    await detail.getByText('How to undo').waitFor()
    await detail.getByText('/media/', { exact: false }).first().waitFor()
    await detail
      .getByText(/loaded \d.*s faster/)
      .first()
      .waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
})

describe('remedies', () => {
  // What pictures weigh shows on a slow link only; from here on it does not matter.
  beforeAll(() => withQuickPhone(stack, site))
  // Most of the time would go into AVIF, which tests of its own look at.
  beforeAll(async () => {
    const { setup, revision } = await trial()
    setup.remedies.images.avif = false
    await stack.api('PUT', `/sites/${site.id}/trial`, { setup, revision })
  })

  test('each of them explains itself, with the risk of its reach', async () => {
    for (const { id, name } of REMEDIES) {
      const { does, couldBreak } = GUIDES[id]
      const one = await opened(page, name)
      await one.getByText(does).waitFor()
      await one.getByText(couldBreak).waitFor()
      await one.getByText(/Risk: /).waitFor()
    }
  })

  test('switched on in the trial, what they do to a page is listed change by change', async () => {
    for (const name of [
      'Page cache',
      'Minify',
      'Picture formats and sizes',
      'Lazy loading',
      'Defer scripts',
      'Critical CSS',
    ])
      await switchOn(name)
    await stack.visit('/', {}, 'trial.orrin.localhost')
    await stack.prepared(site.id)
    const { changes } = await stack.api<PageChanges>('POST', `/sites/${site.id}/changes`, {
      channel: 'trial',
      path: '/',
    })
    expect(changes.find(({ remedy, item }) => remedy === 'lazy' && item === '/media/hero-3.jpg')?.sentence).toBe(
      'Loads when the visitor scrolls near it.',
    )
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('the list is looked at in the interface, and a file is left out where its change is listed', async () => {
    // All of it was made ready in the step before: bulk work has the lowest priority, and a browser that draws a turning sign takes both cores of a small machine.
    await toEnd(page)
    const shown = page.getByRole('region', { name: 'What the trial does to a page' })
    await shown.getByRole('button', { name: 'Look at the changes' }).click()
    await shown.getByText(/The page itself: /).waitFor()
    await shown.getByText('Lazy loading').click()
    await shown.getByRole('button', { name: 'Exclude /media/hero-3.jpg from Lazy loading' }).click()
    await page.getByText(/Lazy loading: excludes file \/media\/hero-3\.jpg/).waitFor()
  })

  test('a file is left out by its name', async () => {
    const lazy = await opened(page, 'Lazy loading')
    await lazy.getByRole('textbox', { name: 'File', exact: true }).fill('/media/quay-saltmarsh.jpg')
    await lazy.getByRole('button', { name: 'Exclude', exact: true }).click()
    await page.getByText(/Lazy loading: excludes .*file \/media\/quay-saltmarsh\.jpg/).waitFor()
    const { changes } = await stack.api<PageChanges>('POST', `/sites/${site.id}/changes`, {
      channel: 'trial',
      path: '/',
    })
    const left = changes.filter(({ remedy, kind }) => remedy === 'lazy' && kind === 'left')
    expect(left.map(({ item }) => item).sort()).toEqual(['/media/hero-3.jpg', '/media/quay-saltmarsh.jpg'])
  })

  test('a page is left out by its address, with the reason', async () => {
    const scripts = await opened(page, 'Defer scripts')
    await choose(scripts, 'Exclude a', 'Page')
    await scripts.getByRole('textbox', { name: 'Page', exact: true }).fill('/shop')
    await scripts.getByRole('textbox', { name: 'Why' }).fill('the till draws itself')
    await scripts.getByRole('button', { name: 'Exclude', exact: true }).click()
    await page.getByText(/Defer scripts: excludes page \/shop \(the till draws itself\)/).waitFor()
    const exceptions = (await trial()).setup.remedies.scriptOrder.exceptions
    expect(exceptions).toEqual([{ by: 'address', value: '/shop', reason: 'the till draws itself' }])
    const [shop, home] = await Promise.all(
      ['/shop', '/stories'].map(async (path) => {
        await stack.visit(path, {}, 'trial.orrin.localhost')
        await stack.prepared(site.id)
        return (await stack.visit(path, {}, 'trial.orrin.localhost')).body
      }),
    )
    expect(shop).toMatch(/<script src="?\/assets\/sextant/)
    expect(home).toMatch(/<script defer src="?\/assets\/sextant/)
  })

  test('signed in, the page is whole too', async () => {
    const visitor = await browser.newContext()
    const visit = await visitor.newPage()
    await visit.goto(inTrial(site, '/sign-in'))
    await visit.locator('[name=name]').fill('rider')
    await visit.locator('[name=password]').fill('season')
    await visit.locator('main button').click()
    await visit.goto(`${site.trialUrl}/stories`)
    await visit.locator('.who').waitFor()
    expect(await visit.locator('.card img').count()).toBeGreaterThan(10)
    await visitor.close()
  })
})

describe('starting points', () => {
  test('one step puts a reach into the trial, after saying what it touches and what to look at', async () => {
    await page.getByRole('button', { name: 'Switch on several …' }).click()
    const dialog = page.getByRole('dialog')
    await dialog.getByRole('radio', { name: /^Delivery, files and page/ }).check()
    await dialog.getByText('Compression switched on').waitFor()
    await dialog.getByText('What to check afterwards').waitFor()
    await dialog.getByText('Sliders, menus, forms and the basket; the browser’s console for errors.').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await dialog.getByRole('button', { name: 'Try in the trial' }).click()
    await trialSection(page).getByText('Compression switched on').waitFor()
    const { remedies } = (await trial()).setup
    expect(remedies.stillVideo.enabled && remedies.fonts.enabled && remedies.compression.enabled).toBe(true)
    // What an owner has to decide is left to the owner.
    expect(remedies.combine.enabled || remedies.localCopies.enabled).toBe(false)
  })
  test('the page keeps its content, and critical CSS shows it as before', async () => {
    await stack.prepared(site.id)
    const [before, after] = [await seenBy(site.liveUrl), await seenBy(inTrial(site))]
    expect(after.errors).toEqual([])
    expect({ ...after, words: '' }).toEqual({ ...before, words: '' })
    expect(after.words).toBe(before.words)
    const asPhone = () => stack.visit('/', { 'sec-ch-ua-mobile': '?1' }, 'trial.orrin.localhost')
    await asPhone()
    await stack.prepared(site.id)
    // Rewriting may take longer than a visitor waits; the next one gets it.
    await expect.poll(async () => (await asPhone()).body, { timeout: 60_000 }).toContain('data-zest=critical-css')
  })
  test('no error in the interface meanwhile', () => expect(complaints).toEqual([]))
})
