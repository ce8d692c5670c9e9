import { chmodSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Job } from '../core/contracts/jobs.ts'
import type { Measurement, MeasurementHead } from '../core/contracts/measurements.ts'
import type { Site } from '../core/contracts/sites.ts'
import { hasApache, OPTIONAL, WebServer } from '../server/testing/web-servers.ts'
import { accessibilityProblems } from './accessibility.ts'
import { ferryFiles, type SiteFiles } from './ferry-copy.ts'
import { openBrowser, openFerrySite, Stack } from './stack.ts'

/** The ferry site on a real web server with a rules file of its own: rules are rehearsed, put there, measured, and taken out to the byte. */

const GALLERY = '/gallery/boats-at-work/'
/** Two lifetimes for the same files, and Windows line endings. */
const PRESENT = [
  '# rules of somebody who is gone',
  'DirectoryIndex index.html',
  '<IfModule mod_php.c>',
  '  php_value upload_max_filesize 64M',
  '</IfModule>',
  'ExpiresActive On',
  'ExpiresByType text/css "access plus 0 seconds"',
  '',
].join('\r\n')

/** The album's script has a name that no web server knows the type of. */
const withOddScript = async (address: string): Promise<SiteFiles> => {
  const files = await ferryFiles(address, ['/', GALLERY], (html) => html.replaceAll('lightbox.js', 'lightbox.gallery'))
  // Large pictures would take most of the time, and rules do nothing for them.
  const light = Object.entries(files).filter(([path, { length }]) => !path.startsWith('media/') || length < 100_000)
  return { ...Object.fromEntries(light), 'assets/lightbox.gallery': files['assets/lightbox.js'] ?? '' }
}

describe.runIf(hasApache)('server rules', () => {
  let stack: Stack
  let browser: Browser
  let page: Page
  let server: WebServer
  let site: Site
  let file: string

  beforeAll(async () => {
    stack = await Stack.start(19_800, { ZEST_SITE_FOLDERS: tmpdir() })
    const [ferry] = await stack.api<Site[]>('GET', '/sites')
    server = await WebServer.apache(await withOddScript(ferry!.address), '', OPTIONAL)
    file = join(server.site, '.htaccess')
    writeFileSync(file, PRESENT)
    chmodSync(file, 0o644)
    site = await stack.api<Site>('POST', '/sites', {
      ...{ name: 'Old Quay', address: `http://127.0.0.1:${server.port}`, privateAddresses: 'allowed' },
      ...{ liveHost: 'old-quay.localhost', trialHost: 'trial.old-quay.localhost' },
      sample: [
        { path: '/', kind: 'Home page' },
        { path: GALLERY, kind: 'Album' },
      ],
    })
    browser = await openBrowser()
    page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
    page.setDefaultTimeout(60_000)
    await openFerrySite(page, stack.url)
  })
  afterAll(async () => {
    await browser?.close()
    await stack?.stop()
    await server?.stop()
  })

  const rehearse = async (): Promise<void> => {
    await page.getByRole('button', { name: 'Rehearse these rules' }).click()
    await page
      .getByText(/^Rehearsal of \d/)
      .first()
      .waitFor()
  }
  /** Bytes that a laptop's first visit to the home page takes from the site's own server. */
  const measuredBytes = async (): Promise<number> => {
    const [{ id: pageId }, { id: visitorId }] = [
      site.sample[0]!,
      site.visitors.find(({ device }) => device === 'phone')!,
    ]
    const order = { sides: ['origin'], pageIds: [pageId], visitorIds: [visitorId], runs: 1 }
    const { id, jobId } = await stack.api<MeasurementHead>('POST', `/sites/${site.id}/measurements`, order)
    const isDone = async (): Promise<boolean> => {
      const job = (await stack.api<Job[]>('GET', '/jobs')).find((one) => one.id === jobId)
      if (job?.state === 'failed') throw new Error(job.error ?? 'The measurement failed.')
      return job?.state === 'done'
    }
    while (!(await isDone())) await new Promise((resolve) => setTimeout(resolve, 500))
    const { results } = await stack.api<Measurement>('GET', `/sites/${site.id}/measurements/${id}`)
    return results[0]!.sides[0]!.medians.sentBytes!
  }

  test('the file on the server is read, and older rules in it are named', async () => {
    await page.goto(`${stack.url}/sites/${site.id}/site`)
    await page.getByRole('heading', { name: 'Server rules' }).scrollIntoViewIfNeeded()
    await page.getByLabel('Protocol').selectOption('folder')
    await page.getByLabel('Folder of the site').fill(server.site)
    await page.getByRole('button', { name: 'Save and try', exact: true }).click()
    await page.getByText('Files can be read, written and removed there.').waitFor()
    await page.getByText('Line 7, browser lifetimes by type:').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('the line that would break the gallery is found in rehearsal, and left out', async () => {
    await rehearse()
    await page.getByText('Rehearsed: not ready.').waitFor()
    await page.getByText(/^Line \d+, security headers that cost nothing:/).waitFor()
    await page.getByText('Browsers refuse the script /assets/lightbox.gallery').first().waitFor()
    expect(await page.getByRole('button', { name: 'Put these rules there' }).isDisabled()).toBe(true)
    await page.getByRole('button', { name: 'Leave it out' }).click()
    await rehearse()
    await page.getByText('Rehearsed: nothing breaks.').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('the rest is put there and confirmed, visitors get less to load, and the gallery works', async () => {
    const before = await measuredBytes()
    await page.getByRole('button', { name: 'Put these rules there' }).click()
    await page.getByText('The rules are on your server, and the site answers as before.').waitFor()
    expect(readFileSync(file, 'utf8')).toMatch(/^# Zest Lamp: rules begin/)
    const css = await server.ask('/assets/framework.css', { 'accept-encoding': 'br' })
    expect(css.headers['content-encoding']).toBe('br')
    expect(await measuredBytes()).toBeLessThan(before * 0.95)
    const visitor = await browser.newPage()
    const refused: string[] = []
    visitor.on('console', (message) => {
      if (message.text().includes('Refused to execute')) refused.push(message.text())
    })
    await visitor.goto(`http://127.0.0.1:${server.port}${GALLERY}`, { waitUntil: 'load' })
    await visitor.close()
    expect(refused).toEqual([])
  })
  test('pages are handed out from the disk once they are written, and by the content system once they are removed', async () => {
    const source = async (): Promise<string> =>
      String((await server.ask('/', { accept: 'text/html' })).headers['cache-status'] ?? 'content system')
    await page.getByLabel('Stored pages from the disk').check()
    await rehearse()
    await page.getByText('Rehearsed: nothing breaks.').waitFor()
    await page.getByRole('button', { name: 'Put these rules there' }).click()
    await page.getByText('The block in lines').waitFor()
    expect(await source()).toBe('content system')
    await page.getByRole('button', { name: 'Write the pages now' }).click()
    await page.getByText('pages stored there,').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
    expect(await source()).toContain('zest-files')
    const visitor = await browser.newPage()
    await visitor.goto(`http://127.0.0.1:${server.port}${GALLERY}`, { waitUntil: 'load' })
    expect(await visitor.title()).not.toBe('')
    await visitor.close()
    await page.getByRole('button', { name: 'Remove them' }).click()
    await page.getByText('No pages are stored there yet').waitFor()
    expect(await source()).toBe('content system')
  })
  test('they are taken out again to the byte, and the ledger tells of both', async () => {
    await page.getByRole('button', { name: 'Take them out' }).click()
    await page.getByText('The rules of Zest Lamp are out of the file, and the site answers as before.').waitFor()
    expect(readFileSync(file, 'utf8')).toBe(PRESENT)
    await page.getByRole('navigation').getByRole('link', { name: 'Ledger' }).click()
    await page.getByText('Server rules taken out of the web server').first().waitFor()
    await page.getByText('Server rules put on the web server').first().waitFor()
  })
})
