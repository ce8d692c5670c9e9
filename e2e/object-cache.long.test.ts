import { Redis } from 'ioredis'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { LedgerEntry } from '../core/contracts/ledger.ts'
import type { ObjectsPassword, ObjectsState } from '../core/contracts/objects.ts'
import type { Site } from '../core/contracts/sites.ts'
import { accessibilityProblems } from './accessibility.ts'
import { openBrowser, openFerrySite, runProgram, Stack, TOKEN } from './stack.ts'

/** The object cache, from the button that switches it on to the entries that a content system's client has left in it. */

let stack: Stack
let browser: Browser
let page: Page
let site: Site
let client: Redis | undefined

beforeAll(async () => {
  stack = await Stack.start(19_700)
  browser = await openBrowser()
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
  page.setDefaultTimeout(60_000)
  const [first] = await stack.api<Site[]>('GET', '/sites')
  if (first === undefined) throw new Error('There is no site.')
  site = first
  await openFerrySite(page, stack.url)
})
afterAll(async () => {
  client?.disconnect()
  await browser?.close()
  await stack?.stop()
})

const state = (): Promise<ObjectsState> => stack.api('GET', `/sites/${site.id}/objects`)

test('is switched on with one button, which shows a password once', async () => {
  await page.getByRole('navigation').getByRole('link', { name: 'Store' }).click()
  await page.getByRole('tab', { name: 'Object cache' }).click()
  await page.getByRole('button', { name: 'Switch on the object cache' }).click()
  await page.getByText('Copy the password now').waitFor()
  await page.getByText('Your content system has not connected yet.', { exact: false }).waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
  const password = await page
    .getByRole('row', { name: /^Password/ })
    .locator('code')
    .innerText()
  const { connection } = await state()
  client = new Redis({ host: connection.host, port: connection.port, username: connection.name, password })
  expect(await client.ping()).toBe('PONG')
})
test('says that it is used, and how well', async () => {
  for (let at = 0; at < 20; at++) await client?.set(`pages:list:${at}`, 'x'.repeat(500), 'EX', 600)
  for (let at = 0; at < 30; at++) await client?.get(`pages:list:${at}`)
  await page.getByText('Your content system uses it: 1 connection now.').waitFor()
  await page.getByText('67% of 30 reads were answered').waitFor()
  await page.getByRole('row', { name: /^pages:list: 20/ }).waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
})
test('is emptied by the owner: the next reads miss, and fill it again', async () => {
  await page.getByRole('button', { name: 'Empty', exact: true }).click()
  await page.getByText('20 entries removed.').waitFor()
  expect(await client?.get('pages:list:1')).toBeNull()
  await client?.set('pages:list:1', 'again')
  expect((await state()).usage?.entries).toBe(1)
})
test('is told of on the command line, too', async () => {
  const env = { ZEST_API_TOKEN: TOKEN, ZEST_URL: stack.url }
  const told = await runProgram('zest', env, ['objects', site.id])
  expect(told.output).toMatch(/reads +31, 65% answered/)
})

describe('the ferry site', () => {
  /** Queries that the site's database was asked for a page, of those that the page is made of. */
  const queriesOf = async (path: string, cookie = ''): Promise<number> => {
    const response = await fetch(site.address + path, { headers: { cookie } })
    await response.text()
    return Number(/"(\d+) of \d+"/.exec(response.headers.get('server-timing') ?? '')?.[1])
  }
  const signIn = async (name: string, password: string): Promise<string> => {
    const body = new URLSearchParams({ name, password })
    const response = await fetch(`${site.address}/sign-in`, { method: 'POST', body, redirect: 'manual' })
    return response.headers.getSetCookie()[0]?.split(';')[0] ?? ''
  }

  test('is connected in its editor’s area, and asks its database less than a tenth as often', async () => {
    expect(await queriesOf('/')).toBeGreaterThanOrEqual(40)
    // A new password sends away who has the old one.
    client?.disconnect()
    const { url } = await stack.api<ObjectsPassword>('POST', `/sites/${site.id}/objects/password`)
    const editor = await browser.newPage()
    await editor.goto(`${site.address}/sign-in`)
    await editor.getByLabel('Name').fill('editor')
    await editor.getByLabel('Password').fill('tideline')
    await editor.getByRole('button', { name: 'Sign in' }).click()
    await editor.goto(`${site.address}/editor/object-cache`)
    await editor.getByLabel('Keep results of the database').check()
    await editor.getByLabel('Address').fill(url)
    await editor.getByRole('button', { name: 'Save' }).click()
    await editor.getByText('On: results of the database are kept.').waitFor()
    await editor.close()
    // The connection opens behind the first page; the second fills the cache.
    await expect.poll(() => queriesOf('/')).toBeLessThanOrEqual(5)
    expect(await queriesOf('/account', await signIn('rider', 'season'))).toBeLessThanOrEqual(5)
  })
  test('shows an edit at once: what it changed is not read from the cache', async () => {
    const cookie = await signIn('editor', 'tideline')
    await queriesOf('/notices/fog-delays')
    const body = new URLSearchParams({ title: 'Fog has lifted', body: 'All boats sail.' })
    await fetch(`${site.address}/editor/notices/fog-delays`, {
      method: 'POST',
      body,
      headers: { cookie },
      redirect: 'manual',
    })
    expect(await (await fetch(`${site.address}/notices/fog-delays`)).text()).toContain('Fog has lifted')
  })
  test('is asked again for what one page reads, and an entry shows its content', async () => {
    await queriesOf('/quays')
    expect(await queriesOf('/quays')).toBeLessThanOrEqual(5)
    await page.getByLabel('What this page reads').fill('/quays')
    await page.getByRole('button', { name: 'Empty that' }).click()
    await page.getByText(/entries that \/quays reads removed/).waitFor()
    expect(await queriesOf('/quays')).toBeGreaterThan(20)
    await page.getByRole('button', { name: 'Show entries' }).click()
    await page
      .getByRole('button', { name: /^Content of / })
      .first()
      .click()
    await page.getByRole('region', { name: 'Content of an entry' }).waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('loads sooner for who is signed in: measured in turn with the owner’s consent, and kept', async () => {
    const steps = [
      { do: 'open', path: '/sign-in' },
      { do: 'type', target: 'input[name=name]', text: 'rider' },
      { do: 'type', target: 'input[name=password]', text: 'season' },
      { do: 'click', target: 'main form button' },
    ]
    await stack.api('PUT', `/sites/${site.id}/journeys`, [{ id: 'season', name: 'Season ticket', steps }])
    const laptop = site.visitors.find(({ device }) => device === 'laptop') ?? site.visitors[0]
    // On a quick link: what is compared is the wait for the server.
    const link = { roundTripMs: 0, downKbps: 1_000_000, upKbps: 1_000_000, cpuSlowdown: 1 }
    const rider = { ...laptop, ...link, id: 'rider', name: 'Rider', journeyId: 'season' }
    await stack.api('PUT', `/sites/${site.id}/visitors`, [...site.visitors, rider])
    await page.reload()
    await page.getByRole('tab', { name: 'Object cache' }).click()
    await page.getByRole('heading', { name: 'What it is worth' }).waitFor()
    await page.getByLabel('Page', { exact: true }).last().selectOption({ label: 'Home page' })
    await page.getByLabel('Visitor', { exact: true }).last().selectOption({ label: 'Rider' })
    const measure = page.getByRole('button', { name: 'Measure what it is worth' })
    expect(await measure.isDisabled()).toBe(true)
    await page.getByLabel('For this long, reads of all visitors may miss').check()
    expect(await accessibilityProblems(page)).toEqual([])
    await measure.click()
    await page.getByRole('cell', { name: /s sooner \(/ }).waitFor({ timeout: 240_000 })
    await page.getByRole('button', { name: 'Keep the object cache' }).click()
    await page.getByText('Kept: the ledger says so.').waitFor()
    const [entry] = await stack.api<LedgerEntry[]>('GET', `/sites/${site.id}/ledger`)
    expect(entry).toMatchObject({ decision: 'kept', kind: 'measured' })
    expect(entry?.title).toContain('Object cache')
    expect((await state()).usage?.missingUntil).toBeNull()
  }, 300_000)
})
