import { execFileSync } from 'node:child_process'
import { readFile } from 'node:fs/promises'
import { request } from 'node:http'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { EdgeInfo } from '../core/contracts/edges.ts'
import { accessibilityProblems } from './accessibility.ts'
import { openBrowser, openFerrySite, runProgram, Stack, TOKEN } from './stack.ts'

/** Looking after a Zest Lamp that runs: from the command line, with mistakes, and when a part of it dies. */

let stack: Stack
let browser: Browser
let page: Page

beforeAll(async () => {
  stack = await Stack.start(18_600, { ZEST_DEMO_EDGES: '1' })
  browser = await openBrowser()
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
  page.setDefaultTimeout(45_000)
  await openFerrySite(page, stack.url)
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
})

describe('the zest command', () => {
  const zest = (...args: string[]) => runProgram('zest', { ZEST_API_TOKEN: TOKEN, ZEST_URL: stack.url }, args)

  test('lists, purges and measures, as text and as JSON', async () => {
    const list = await zest('site', 'list', '--json')
    expect(JSON.parse(list.output)[0]).toMatchObject({
      name: 'Orrin Sound Ferries',
      liveHost: 'orrin.localhost',
    })
    expect((await zest('purge', 'orrin.localhost', '--everything')).output).toMatch(
      /^\d+ stored responses? removed\.$/m,
    )
    const measured = await zest('measure', 'orrin.localhost', '--page', '/notices', '--json')
    expect([measured.code, measured.errors]).toEqual([1, expect.stringContaining('is not in the sample')])
    const one = await zest(
      'measure',
      'orrin.localhost',
      '--page',
      '/stories/a-bicycle-on-every-deck',
      '--visitor',
      'laptop',
      '--runs',
      '1',
    )
    expect(one.code).toBe(0)
    expect(one.output).toMatch(
      /\/stories\/a-bicycle-on-every-deck {2}Laptop {2}floor [\d.]+ s\n {2}origin {2}main content [\d.]+ s/,
    )
  })
  test('says what is wrong and what to do', async () => {
    expect((await zest('fly')).code).toBe(2)
    expect((await zest('purge', 'nowhere.example', '--everything')).errors).toContain('Connected: orrin.localhost')
    expect(
      (await runProgram('zest', { ZEST_API_TOKEN: 'wrong', ZEST_URL: stack.url }, ['site', 'list'])).errors,
    ).toContain('Sign in')
    expect(
      (await runProgram('zest', { ZEST_API_TOKEN: 'x', ZEST_URL: 'http://127.0.0.1:9' }, ['site', 'list'])).errors,
    ).toContain('Is Zest Lamp running?')
  })
})

describe('what a person can do wrong', () => {
  const check = async (address: string): Promise<string> => {
    await page.goto(`${stack.url}/connect`)
    await page.getByLabel('Address of your web server (origin)').fill(address)
    await page.getByRole('button', { name: 'Check the site' }).click()
    const sentence = page.locator('.findings .stop, .problem').first()
    await sentence.waitFor()
    return (await sentence.textContent())!
  }
  test('connecting an address where nothing answers, Zest Lamp itself, or no address at all', async () => {
    // This machine is asked only with the owner's yes.
    expect(await check('http://127.0.0.1:9')).toContain('in a private network')
    await page.getByRole('button', { name: 'It is mine: check it anyway' }).click()
    await page.getByText('Nothing answers at 127.0.0.1:9').waitFor()
    expect(await check(`http://orrin.localhost:${stack.basePort + 10}`)).toContain('is Zest Lamp itself')
    expect(await check(stack.url)).toContain('is Zest Lamp itself')
    expect(await check('not an address')).toContain('Give the address of the site')
    expect(await page.getByRole('button', { name: 'Connect', exact: true }).count()).toBe(0)
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('taking a host name twice', async () => {
    await page.goto(`${stack.url}/connect`)
    await page.getByLabel('Address of your web server (origin)').fill(`http://127.0.0.1:${stack.basePort + 1}`)
    await page.getByRole('button', { name: 'Check the site' }).click()
    await page.getByRole('button', { name: 'It is mine: check it anyway' }).click()
    await page.getByText('The first response').waitFor()
    await page.getByLabel('Live host name').fill('orrin.localhost')
    expect(await accessibilityProblems(page)).toEqual([])
    await page.getByRole('button', { name: 'Connect', exact: true }).click()
    await page.getByRole('alert').getByText('already served as').waitFor()
  })
  test('starting a second one on the same data or the same port', async () => {
    const same = { ZEST_DATA_DIR: stack.dataDir, ZEST_PORT: '18500' }
    for (const program of ['control', 'delivery'])
      expect(await runProgram(program, same)).toMatchObject({
        code: 78,
        errors: expect.stringContaining('another ZEST_DATA_DIR'),
      })
    const other = { ZEST_DATA_DIR: `${stack.dataDir}/other`, ZEST_PORT: String(stack.basePort) }
    for (const program of ['control', 'delivery'])
      expect(await runProgram(program, other)).toMatchObject({
        code: 78,
        errors: expect.stringContaining('another ZEST_PORT'),
      })
  })
})

test('the edges of the demo serve visitors too, each by way of home', async () => {
  const status = (port: number): Promise<string> =>
    new Promise((done) => {
      const headers = { host: `orrin.localhost:${stack.basePort + 10}` }
      request({ host: '127.0.0.1', port, path: '/', headers, agent: false }, (res) => {
        res.resume()
        res.on('end', () => done(`${res.statusCode} ${String(res.headers['cache-status'])}`))
      })
        .on('error', (error) => done(error.message))
        .end()
    })
  for (const offset of [30, 32, 34])
    await expect.poll(() => status(stack.basePort + offset)).toMatch(/^200 zest-lamp; .*, zest-lamp-edge; /)
  const edges = await stack.api<EdgeInfo[]>('GET', '/edges')
  expect(edges.map(({ state, problem }) => [state, problem])).toEqual(edges.map(() => ['connected', null]))
})

test('visitors are served while control is stopped, and control comes back by itself', async () => {
  const pids = execFileSync('pgrep', ['-f', 'dist/control.mjs'], { encoding: 'utf8' }).trim().split('\n')
  const ours: string[] = []
  for (const pid of pids) {
    const env = await readFile(`/proc/${pid}/environ`, 'utf8').catch(() => '')
    if (env.includes(`ZEST_PORT=${stack.basePort}\0`)) ours.push(pid)
  }
  expect(ours.length).toBe(1)
  process.kill(Number(ours[0]), 'SIGKILL')
  expect((await stack.visit('/')).status).toBe(200)
  await expect
    .poll(
      () =>
        fetch(`${stack.url}/api/v1/welcome`).then(
          (answer) => answer.status,
          () => 0,
        ),
      { timeout: 60_000, interval: 200 },
    )
    .toBe(200)
  expect((await stack.api<unknown[]>('GET', '/sites')).length).toBe(1)
})
