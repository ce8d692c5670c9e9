import { Redis } from 'ioredis'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, expect, test } from 'vitest'
import type { ObjectsState } from '../core/contracts/objects.ts'
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
