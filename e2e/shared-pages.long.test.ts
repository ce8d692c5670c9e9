import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Site } from '../core/contracts/sites.ts'
import { accessibilityProblems } from './accessibility.ts'
import { opened, switchOf } from './remedy-list.ts'
import { openBrowser, openFerrySite, Stack } from './stack.ts'

/** A personal corner in a page that everybody shares: named by the owner, proved by the privacy check. */

let stack: Stack
let browser: Browser
let page: Page
/** What the interface complained about in the console. */
const complaints: string[] = []
/** A measurement or check of several pages, on a slow and busy machine too. */
const MEASURED_MS = 400_000

beforeAll(async () => {
  stack = await Stack.start(19_260)
  browser = await openBrowser()
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
  page.setDefaultTimeout(60_000)
  await openFerrySite(page, stack.url)
  page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()))
  page.on('pageerror', (error) => complaints.push(error.message))
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
})

const place = (name: string) => page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name, exact: true })
const untilDone = (title: string) =>
  page
    .getByLabel('Jobs')
    .getByText(new RegExp(`^${title}\\s*done `))
    .waitFor({ timeout: MEASURED_MS })

describe('pages that visitors share in spite of their cookies', () => {
  const trial = () => page.getByRole('region', { name: 'Trial' })
  const publish = async (): Promise<void> => {
    await page.getByRole('button', { name: 'Keep', exact: true }).click()
    await page.getByRole('dialog').getByRole('button', { name: 'Publish' }).click()
  }
  /** A season-ticket holder's cookie, by the site's own form. */
  const signedIn = async (): Promise<string> => {
    const answer = await fetch(`http://127.0.0.1:${stack.basePort + 1}/sign-in`, {
      method: 'POST',
      redirect: 'manual',
      body: new URLSearchParams({ name: 'rider', password: 'season' }),
    })
    return answer.headers.getSetCookie()[0]!.split(';', 1)[0]!
  }

  test('a kind of page is named in the trial, with the cookies that do not change it', async () => {
    await place('Remedies').click()
    const remedy = await opened(page, 'Page cache')
    await switchOf(page, 'Page cache').click()
    await trial().getByText('Page cache switched on').waitFor()
    await remedy.getByRole('checkbox', { name: /^Live fragments/ }).click()
    await trial().getByText('live fragments from off to on').waitFor()
    await remedy.getByRole('button', { name: 'Add a kind' }).click()
    const dialog = page.getByRole('dialog')
    await dialog.getByLabel('Name').fill('Quays')
    await dialog.getByLabel('Paths, one per line').fill('/quays')
    await dialog.getByLabel(/^Cookies that do not change/).fill('ferry_session\nferry_basket')
    expect(await accessibilityProblems(page)).toEqual([])
    await dialog.getByRole('button', { name: 'Try in the trial' }).click()
    await trial().getByText('kinds of pages: Quays added').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('it cannot be kept before the privacy check has passed', async () => {
    // Four visitors ask for each page of the sample several times; two pages show it as well as eight.
    const [site] = await stack.api<Site[]>('GET', '/sites')
    await stack.api(
      'PUT',
      `/sites/${site!.id}/sample`,
      site!.sample.slice(0, 2).map(({ path, kind }) => ({ path, kind })),
    )
    await publish()
    await page
      .getByRole('alert')
      .getByText(/privacy check/i)
      .first()
      .waitFor()
    expect((await stack.visit('/quays')).cacheStatus).toContain('page-cache-off')
    // The refusal is in the console; that is the browser's, not ours.
    complaints.length = 0
    await page.getByRole('button', { name: 'Run the privacy check' }).click()
    const dialog = page.getByRole('dialog')
    for (const [which, name] of [
      ['first', 'rider'],
      ['second', 'second'],
    ] as const)
      await dialog.getByLabel(`Name of the ${which} visitor`).fill(name)
    for (const index of [0, 1]) await dialog.getByLabel('Password', { exact: true }).nth(index).fill('season')
    expect(await accessibilityProblems(page)).toEqual([])
    await dialog.getByRole('button', { name: 'Start' }).click()
    await untilDone('Privacy check of Orrin Sound Ferries')
    await page.getByText(/Passed .*nothing of one visitor reached another/).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('kept, it gives a signed-in visitor the stored page with a corner of their own, and nobody else that corner', async () => {
    await publish()
    await page.getByText(/Visitors now get version \d+/).waitFor()
    const cookie = await signedIn()
    await stack.visit('/quays')
    const own = await stack.visit('/quays', { cookie })
    expect(own.cacheStatus).toContain('hit')
    expect(own.body).toContain('Sign out')
    const everybody = await stack.visit('/quays')
    expect(everybody.cacheStatus).toContain('hit')
    expect(everybody.body).toContain('Sign in')
    expect(everybody.body).not.toMatch(/Sign out|esi:/)
  })

  test('which cookies matter is found by trying them', async () => {
    await place('Site').click()
    await page.getByLabel(/^Cookies of a signed-in browser/).fill(`${await signedIn()}; tint=dark`)
    await page.getByRole('button', { name: 'Try the cookies' }).click()
    await untilDone('Cookies of Orrin Sound Ferries')
    const row = (name: string) => page.getByRole('row').filter({ hasText: name })
    await row('ferry_session')
      .getByText(/The cookie is personal|Treat it as personal/)
      .waitFor()
    await row('tint')
      .getByText(/No page of the sample changes/)
      .waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })

  test('the interface reported no error on the way', () => expect(complaints).toEqual([]))
})
