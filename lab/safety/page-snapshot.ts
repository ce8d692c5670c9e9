import type { Browser, BrowserContext, Page, Request } from 'playwright-core'
import sharp from 'sharp'
import type { Journey } from '../../core/contracts/measuring.ts'
import type { SnapshotOrder, SnapshotOutcome, PageSnapshot } from '../../core/contracts/safety.ts'
import { colourGrid } from '../../core/safety/grid.ts'
import { originalPath } from '../../core/page/context/file-facts.ts'
import { followJourney } from '../journey/journey.ts'
import { contextFor } from '../cdp/as-visitor.ts'
import { installElementKey } from './element-key.ts'
import { readElements, readStates } from './read-elements.ts'
import { tryControls } from './try-controls.ts'

/** A page that is not quiet by then keeps asking for something; it is looked at as it is. */
const QUIET_MS = 15_000
const QUIET_FOR_MS = 600
const LOOK_AGAIN_MS = 50
/** What is higher is compared by its elements only. CSS pixels. */
const MOST_HEIGHT = 12_000
const WATCH_EVERY_MS = 250
const MOST_ERRORS = 50

/** Addresses without what differs between live and trial: the host, our file names, version numbers. */
const shownPath = (address: string): string => {
  if (!URL.canParse(address)) return address
  const { pathname } = new URL(address)
  return originalPath(pathname)
}

const withoutHosts = (text: string): string =>
  text
    .replaceAll(/https?:\/\/[^\s"')]+/g, shownPath)
    .replaceAll(/:\d+:\d+/g, '')
    .slice(0, 300)

/** Errors and failed requests of a page, until it is told to stop listening. */
class Complaints {
  readonly console: string[] = []
  readonly failed: PageSnapshot['failed'] = []
  #listening = true

  constructor(page: Page, host: string) {
    page.on('console', (message) => {
      // What failed to load is told by the request itself.
      if (message.type() === 'error' && !/Failed to load resource/.test(message.text())) this.#complain(message.text())
    })
    page.on('pageerror', (error) => this.#complain(error.message))
    page.on('response', (response) => {
      if (response.status() >= 400) this.#fail(response.url(), host, `answered with status ${response.status()}`)
    })
    page.on('requestfailed', (request) => {
      const why = request.failure()?.errorText ?? 'no answer'
      // The page gave it up itself, as pages do that leave or change their mind.
      if (why !== 'net::ERR_ABORTED') this.#fail(request.url(), host, why)
    })
  }

  #complain(text: string): void {
    if (this.#listening && this.console.length < MOST_ERRORS) this.console.push(withoutHosts(text))
  }

  #fail(url: string, host: string, why: string): void {
    if (this.#listening && this.failed.length < MOST_ERRORS)
      this.failed.push({ path: shownPath(url), why, own: new URL(url).host === host })
  }

  stop(): void {
    this.#listening = false
  }
}

/** Requests that are under way. Playwright's own network idle comes once for each page; scrolling begins again. */
class Traffic {
  readonly #page: Page
  readonly #open = new Set<Request>()
  #lastAt = performance.now()

  constructor(page: Page) {
    this.#page = page
    page.on('request', (request) => {
      this.#open.add(request)
      this.#lastAt = performance.now()
    })
    const ended = (request: Request): void => {
      this.#open.delete(request)
      this.#lastAt = performance.now()
    }
    page.on('requestfinished', ended)
    page.on('requestfailed', ended)
  }

  /** Resolves once nothing has moved for a while, or too much time has passed. */
  async quiet(): Promise<void> {
    const deadline = performance.now() + QUIET_MS
    while (performance.now() < deadline) {
      if (this.#open.size === 0 && performance.now() - this.#lastAt >= QUIET_FOR_MS) return
      await this.#page.waitForTimeout(LOOK_AGAIN_MS)
    }
  }
}

/** Go through the page as somebody who reads it, so that what waits for coming near is there; and back to its beginning. */
const goThrough = async (page: Page, traffic: Traffic): Promise<void> => {
  await page.evaluate(async () => {
    const step = Math.max(200, window.innerHeight * 0.8)
    for (let y = 0; y < Math.min(document.documentElement.scrollHeight, 30_000); y += step) {
      window.scrollTo(0, y)
      await new Promise((resolve) => setTimeout(resolve, 30))
    }
    window.scrollTo(0, 0)
  })
  await traffic.quiet()
}

const watch = async (page: Page, { ms, until }: SnapshotOrder['watch']): Promise<string[]> => {
  if (ms === 0) return []
  const moving = new Set<string>()
  const first = await page.evaluate(readStates)
  const deadline = performance.now() + ms
  while (performance.now() < deadline) {
    await page.waitForTimeout(WATCH_EVERY_MS)
    const now = await page.evaluate(readStates)
    for (const key of new Set([...Object.keys(first), ...Object.keys(now)]))
      if (first[key] !== now[key]) moving.add(key)
    if (until.some((key) => moving.has(key))) break
  }
  return [...moving]
}

const pictureOf = async (page: Page): Promise<Pick<PageSnapshot, 'grid' | 'picture'>> => {
  const png = await page.screenshot({
    fullPage: true,
    animations: 'disabled',
    caret: 'hide',
    scale: 'css',
    timeout: 20_000,
  })
  const { width, height } = await sharp(png).metadata()
  const cut = sharp(png)
    .extract({ left: 0, top: 0, width, height: Math.min(height, MOST_HEIGHT) })
    .removeAlpha()
  const raw = await cut.clone().toColourspace('srgb').raw().toBuffer({ resolveWithObject: true })
  const grid = colourGrid(raw.data, raw.info.width, raw.info.height, (bytes) => Buffer.from(bytes).toString('base64'))
  const picture = (await cut.jpeg({ quality: 55 }).toBuffer()).toString('base64')
  return { grid, picture }
}

/** Each journey in a browser of its own, so that none stands on what another did. */
const followAll = async (
  journeys: readonly Journey[],
  open: () => Promise<BrowserContext>,
  order: SnapshotOrder,
): Promise<PageSnapshot['journeys']> => {
  const followed: PageSnapshot['journeys'] = []
  for (const journey of journeys) {
    const context = await open()
    const page = await context.newPage()
    const result = await followJourney(page, journey, new URL(order.url).origin, order.timeoutMs)
    followed.push({ id: journey.id, name: journey.name, why: result.kind === 'stuck' ? result.why : null })
    await context.close()
  }
  return followed
}

const lookAt = async (
  context: BrowserContext,
  order: SnapshotOrder,
): Promise<Omit<PageSnapshot, 'journeys'> | string> => {
  const page = await context.newPage()
  await page.addInitScript(installElementKey)
  const traffic = new Traffic(page)
  const complaints = new Complaints(page, new URL(order.url).host)
  const response = await page.goto(order.url, { waitUntil: 'load', timeout: order.timeoutMs })
  if (response === null) return `${order.url} gave no answer.`
  if (response.status() >= 500) return `${order.url} answered with status ${response.status()}.`
  await traffic.quiet()
  const untouched = (await page.evaluate(readElements, 'view' as const)).elements
  const seen = {
    status: response.status(),
    title: await page.title(),
    console: complaints.console,
    failed: complaints.failed,
    untouched,
  }
  if (order.depth === 'quick')
    return { ...seen, elements: [], pictures: [], fonts: [], controls: [], moving: [], grid: null, picture: '' }
  const moving = await watch(page, order.watch)
  await goThrough(page, traffic)
  await page.evaluate(() => document.fonts.ready.then(() => undefined))
  const { elements, pictures } = await page.evaluate(readElements, 'page' as const)
  const fonts = await page.evaluate(() =>
    [...document.fonts].map(({ family, status }) => ({
      family: family.replaceAll('"', ''),
      loaded: status === 'loaded',
    })),
  )
  const picture = await pictureOf(page)
  complaints.stop()
  return {
    ...seen,
    ...picture,
    elements,
    pictures: pictures.map(({ url, ...one }) => ({ ...one, path: shownPath(url) })),
    fonts,
    moving,
    controls: await tryControls(page),
  }
}

/**
 * Look at a page closely: as it comes, scrolled through, and with its controls tried; then follow the journeys.
 * @param socksPort where the link listens
 */
export const look = async (browser: Browser, order: SnapshotOrder, socksPort: number): Promise<SnapshotOutcome> => {
  const { origin } = new URL(order.url)
  const contexts: BrowserContext[] = []
  const open = async (): Promise<BrowserContext> => {
    const context = await contextFor(browser, order.visitor, socksPort)
    contexts.push(context)
    if (order.cookies.length > 0) await context.addCookies(order.cookies.map((cookie) => ({ ...cookie, url: origin })))
    return context
  }
  try {
    const context = await open()
    if (order.signIn !== null) {
      const page = await context.newPage()
      const followed = await followJourney(page, order.signIn, origin, order.timeoutMs)
      await page.close()
      if (followed.kind === 'stuck') return { kind: 'failed', why: followed.why }
    }
    const seen = await lookAt(context, order)
    if (typeof seen === 'string') return { kind: 'failed', why: seen }
    return { kind: 'seen', sight: { ...seen, journeys: await followAll(order.journeys, open, order) } }
  } catch (error) {
    return {
      kind: 'failed',
      why: `${order.url} could not be loaded: ${(error as Error).message.split('\n')[0]}`,
    }
  } finally {
    for (const context of contexts) await context.close().catch(() => undefined)
  }
}
