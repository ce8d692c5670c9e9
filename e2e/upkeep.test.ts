import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { CleanUp } from '../core/contracts/clean-up.ts'
import type { Job } from '../core/contracts/jobs.ts'
import type { LibraryPicture, PictureLibrary } from '../core/contracts/picture-library.ts'
import type { Trial } from '../core/contracts/ledger.ts'
import type { Site } from '../core/contracts/sites.ts'
import { accessibilityProblems } from './accessibility.ts'
import { openBrowser, openFerrySite, Stack } from './stack.ts'

/** The ferry site's own database: looked through, backed up with proof, cleaned up, and put back; and its pictures. */

describe('upkeep', () => {
  let stack: Stack
  let browser: Browser
  let page: Page
  let site: Site

  beforeAll(async () => {
    stack = await Stack.start(20_200)
    ;[site] = (await stack.api<Site[]>('GET', '/sites')) as [Site]
    browser = await openBrowser()
    page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
    page.setDefaultTimeout(60_000)
    await openFerrySite(page, stack.url)
  })
  afterAll(async () => {
    await browser?.close()
    await stack?.stop()
  })
  const part = (name: string): Promise<void> => page.getByRole('tab', { name, exact: true }).click()
  const remove = () => page.getByRole('button', { name: /^Remove [\d,]+ rows/ })
  const cleanUps = (): Promise<CleanUp[]> => stack.api('GET', `/sites/${site.id}/database/clean-ups`)

  test('what can go is found and shown with its reasons and rows', async () => {
    await page.goto(`${stack.url}/sites/${site.id}/upkeep`)
    await part('Database')
    await page.getByRole('button', { name: 'Look through the database' }).click()
    await page.getByRole('checkbox', { name: 'Old revisions in story_revisions' }).waitFor()
    for (const name of [
      'Spam in comments',
      'Temporary records that have expired in weather_cache',
      'Sessions that are long over in sessions',
    ])
      expect(await page.getByRole('checkbox', { name }).count()).toBe(1)
    await page.getByText('Why, which rows, and what stays').first().click()
    await page.getByText('one row after the other holds nearly the same text').waitFor()
    await page.getByRole('cell', { name: 'a-bicycle-on-every-deck' }).first().waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('the owner narrows a group, and describes one by hand', async () => {
    await page.getByLabel('Keep the newest').fill('30')
    await page.getByRole('button', { name: 'Count again' }).click()
    await page.getByText('of each story, the newest 30 stay').waitFor()
    await page.getByRole('button', { name: 'Describe a group' }).click()
    await page.getByLabel('What these rows are').fill('Comments of one bargain')
    await page.getByLabel('Table').selectOption('comments')
    await page.getByLabel('Column').selectOption('name')
    await page.getByLabel('Values, with commas between').fill('Bargain 7, Bargain 8')
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByRole('button', { name: 'Count these rows' }).click()
    await page.getByRole('checkbox', { name: 'Comments of one bargain' }).waitFor()
    await page.getByText('2 rows ·').waitFor()
  })

  test('nothing is removed before it is allowed, and before a backup was proved', async () => {
    await page.getByRole('checkbox', { name: 'Old revisions in story_revisions' }).check()
    await page.getByText('You have allowed reading only').waitFor()
    expect(await remove().isDisabled()).toBe(true)
    await part('Database connection')
    await page.getByRole('checkbox', { name: 'Allow clean-ups.' }).check()
    await page.getByRole('button', { name: 'Save and try', exact: true }).click()
    await page.getByText('PostgreSQL 18').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await part('Database')
    await page.getByText('Nothing is removed without a backup').waitFor()
    expect(await remove().isDisabled()).toBe(true)

    await part('Backups')
    await page.getByRole('button', { name: 'Back up now' }).click()
    await page.getByText(/Restored on an embedded PostgreSQL: [\d,]+ rows in 17 tables, all of them equal/).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('rows go with progress and an honest word on what it was worth, and come back', async () => {
    await part('Database')
    // Loads in a browser take minutes.
    await page.getByRole('checkbox', { name: 'Measure what it was worth' }).uncheck()
    await remove().click()
    await page.getByRole('button', { name: 'Put these rows back' }).waitFor({ timeout: 120_000 })
    const [done] = await cleanUps()
    expect(done!.result!.removed).toBeGreaterThan(300)
    expect(done!.result!.wait!.sentence).toMatch(/per page of the sample\./)
    expect(done!.result!.kept!.offSite).toBe(true)
    await page.getByText('0 rows · 0 B').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByRole('button', { name: 'Put these rows back' }).click()
    await page.getByText(`${done!.result!.removed.toLocaleString('en')} rows were put back.`).waitFor()
  })

  const library = (): Promise<PictureLibrary> => stack.api('GET', `/sites/${site.id}/pictures`)
  const lighterOnes = (): Promise<LibraryPicture[]> =>
    stack
      .api<{ pictures: LibraryPicture[] }>('GET', `/sites/${site.id}/pictures/list?state=lighter`)
      .then(({ pictures }) => pictures)

  test('what runs by itself stands on one calendar, and what is seen from outside is told', async () => {
    await part('Calendar')
    await page.getByText('Nothing runs by itself yet.').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await part('Other habits')
    await page.getByRole('button', { name: 'Look from outside' }).click()
    await page.getByText(/Making the page takes \d+ ms/).waitFor()
    await page.getByLabel('Are there plug-ins that nobody needs any more?').selectOption('yes')
    await page.getByText('Remove them, not only switch them off').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    await page.reload()
    await part('Other habits')
    await page.getByText('Remove them, not only switch them off').waitFor()
  })

  test('pictures are found, and what they would save is told before anything is done', async () => {
    await part('Pictures')
    await page.getByText('How pictures are made, and when').click()
    // Small pictures, so that this test need not try many large ones.
    await page.getByLabel('Widest, CSS px').fill('200')
    await page.getByLabel('Times that on dense screens').fill('1')
    await page.getByLabel('Share of one processor core, %').fill('100')
    await page.getByRole('checkbox', { name: 'AVIF' }).uncheck()
    await page.getByRole('button', { name: 'Save', exact: true }).first().click()
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByText('How pictures are made, and when').click()
    await page.getByRole('button', { name: 'Look for pictures' }).click()
    await page.getByText(/pictures were tried: .* that wait would become about/).waitFor()
    const { counts, survey } = await library()
    expect(counts.found).toBeGreaterThan(20)
    expect(survey?.result?.estimate?.after).toBeLessThan(survey?.result?.estimate?.before ?? 0)
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('work on pictures pauses and goes on, and each is laid over its original', async () => {
    await page.getByRole('button', { name: /^Make \d+ pictures lighter$/ }).click()
    await page.getByRole('button', { name: 'Pause' }).click()
    await page.getByText('Work on pictures is paused.').waitFor()
    await expect
      .poll(async () => (await stack.api<{ now: string }[]>('GET', '/jobs'))[0]?.now, { timeout: 30_000 })
      .toBe('Paused')
    const before = (await library()).counts.found ?? 0
    await page.getByRole('button', { name: 'Continue' }).click()
    await expect.poll(async () => (await library()).counts.found, { timeout: 60_000 }).toBeLessThan(before - 3)
    await page
      .getByRole('button', { name: /^Compare / })
      .first()
      .click()
    const lighter = page.getByAltText('The lighter picture')
    await lighter.waitFor()
    const widthOf = (): Promise<number> => lighter.evaluate((image) => (image as HTMLImageElement).naturalWidth)
    await expect.poll(widthOf).toBe(200)
    const slider = page.getByRole('slider', { name: /Original on the left/ })
    await slider.fill('25')
    expect(await lighter.evaluate((image) => (image as HTMLElement).style.clipPath)).toContain('50px')
    expect(await accessibilityProblems(page)).toEqual([])
    // The rest would take no more than time.
    const [job] = await stack.api<Job[]>('GET', '/jobs')
    if (job?.state === 'running') await stack.api('POST', `/jobs/${job.id}/cancel`)
    await page.getByRole('button', { name: 'Look again' }).click({ trial: true })
  })

  test('visitors get them once the remedy is kept, but for those that the owner leaves out', async () => {
    const [one, other] = (await lighterOnes()) as [LibraryPicture, LibraryPicture]
    const at = `/sites/${site.id}/trial`
    const trial = await stack.api<Trial>('GET', at)
    const { remedies } = trial.setup
    const on = { pageCache: { ...remedies.pageCache, enabled: true }, images: { ...remedies.images, enabled: true } }
    const setup = { ...trial.setup, remedies: { ...remedies, ...on } }
    const { revision } = await stack.api<Trial>('PUT', at, { setup, revision: trial.revision })
    await stack.api('POST', `${at}/keep`, { note: '', revision })
    const typeOf = async ({ path }: LibraryPicture): Promise<string> =>
      (await stack.visit(path, { accept: 'image/webp,*/*' })).type
    await expect.poll(() => typeOf(one)).toBe('image/webp')
    await expect.poll(() => typeOf(other)).toBe('image/webp')
    await page.getByRole('button', { name: `Leave out ${one.path}`, exact: true }).click()
    await expect.poll(() => typeOf(one)).toBe('image/jpeg')
    expect(await typeOf(other)).toBe('image/webp')
    await page.getByText('Visitors get the lighter pictures.').waitFor()
  })
})
