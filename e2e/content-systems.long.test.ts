import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Trial } from '../core/contracts/ledger.ts'
import type { PrivacyState } from '../core/contracts/privacy.ts'
import type { EventTarget, Site } from '../core/contracts/sites.ts'
import { ContentSystem } from '../standins/systems/content-system.ts'
import { CHANDLERY, JOURNAL, NOTICES, type Habits } from '../standins/systems/habits.ts'
import { accessibilityProblems } from './accessibility.ts'
import { LiveVisitor } from './live-visitor.ts'
import { openBrowser, openFerrySite, Stack } from './stack.ts'

/** Three made-up content systems with habits of real ones: connected by answering only what is asked, made fast, and used by all kinds of people through live. */

const PORT = 18_900
let stack: Stack
let browser: Browser
let page: Page
const complaints: string[] = []
const systems: ContentSystem[] = []

beforeAll(async () => {
  stack = await Stack.start(PORT)
  browser = await openBrowser()
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  page.on('pageerror', (error) => complaints.push(error.message))
  page.setDefaultTimeout(45_000)
  await openFerrySite(page, stack.url)
})
afterAll(async () => {
  await browser?.close()
  await stack?.stop()
  for (const system of systems) system.close()
})

/** What needs no special word to be switched on. */
const EASY = ['pageCache', 'compression', 'browserCache', 'minify', 'fingerprint', 'images', 'lazy', 'hints'] as const
/** From "done" to "seen": a machine that is busy is given more than the second that an edit takes. */
const soon = { timeout: 20_000, interval: 50 }

/** Connect a system as its owner would, and switch on what is easy. */
const connect = async (habits: Habits): Promise<{ system: ContentSystem; site: Site }> => {
  const system = new ContentSystem(habits)
  systems.push(system)
  await page.goto(`${stack.url}/connect`)
  await page.getByLabel('Address of your web server (origin)').fill(await system.open())
  await page.getByRole('button', { name: 'Check the site' }).click()
  await page.getByRole('button', { name: 'It is mine: check it anyway' }).click()
  await page.getByRole('heading', { name: 'Sample pages' }).waitFor()
  expect(await accessibilityProblems(page)).toEqual([])
  await page.getByRole('button', { name: 'Connect', exact: false }).last().click()
  await page.waitForURL(/\/sites\/[^/]+/)
  const site = (await stack.api<Site[]>('GET', '/sites')).find(({ name }) => name === habits.title)!
  return { system, site }
}
const tryAll = async ({ id }: Site, pageCache: Record<string, unknown> = {}): Promise<Trial> => {
  const { setup, revision } = await stack.api<Trial>('GET', `/sites/${id}/trial`)
  const on = Object.fromEntries(EASY.map((name) => [name, { ...setup.remedies[name], enabled: true }]))
  const remedies = { ...setup.remedies, ...on, pageCache: { ...setup.remedies.pageCache, enabled: true, ...pageCache } }
  return stack.api<Trial>('PUT', `/sites/${id}/trial`, { setup: { ...setup, remedies }, revision })
}
const keep = ({ id }: Site, { revision }: Trial) => stack.api('POST', `/sites/${id}/trial/keep`, { revision, note: '' })
const visitorOf = ({ liveHost }: Site) => new LiveVisitor(PORT + 10, liveHost)
const signedIn = async (site: Site, name: string, password: string): Promise<LiveVisitor> => {
  const visitor = visitorOf(site)
  await visitor.get('/sign-in')
  const home = await visitor.form('/sign-in', { name, password })
  expect(home.text).toContain('Signed in as')
  return visitor
}
const NAMES = ['Ingrid Vale', 'Osric Thane', 'Merrick Holm', 'waits to be looked at', 'Edit this']

/** A visitor, a commenter and two members, all at once: everybody sees what is theirs, and nothing of another. */
const journey = async (site: Site, path: string): Promise<void> => {
  const [guest, commenter] = [visitorOf(site), visitorOf(site)]
  const members = [await signedIn(site, 'ingrid', 'herring'), await signedIn(site, 'osric', 'mussels')]
  for (const place of ['/', path]) {
    const pages = await Promise.all([guest, ...members].map((one) => one.get(place)))
    expect(NAMES.filter((name) => pages[0]!.text.includes(name))).toEqual([])
    expect([pages[1]!.text.includes('Ingrid Vale'), pages[2]!.text.includes('Osric Thane')]).toEqual([true, true])
    expect([pages[1]!.text.includes('Osric'), pages[2]!.text.includes('Ingrid')]).toEqual([false, false])
  }
  // The form that a stored page shows works, whoever made the page.
  const form = (text: string) => ({
    to: /name="?to"? value="?(\d+)/.exec(text)![1]!,
    nonce: /name="?nonce"? value="?(\w+)/.exec(text)![1]!,
  })
  const sent = await commenter.form('/comments', {
    ...form((await commenter.get(path)).text),
    by: 'Signy',
    text: 'A fine boat.',
  })
  expect([sent.status, sent.text.includes('waits to be looked at')]).toEqual([200, true])
  const member = await members[0]!.form('/comments', { ...form((await members[0]!.get(path)).text), text: 'Mine too.' })
  expect(member.status).toBe(200)
  expect((await visitorOf(site).get(path)).text).not.toContain('A fine boat.')
}
const addressOf = ({ habits }: ContentSystem, { slug, category }: { slug: string; category: string }): string =>
  habits.addresses === 'flat' ? `/${slug}/` : `/${category}/${slug}`
const isShared = (site: Site, path: string) =>
  expect.poll(async () => (await visitorOf(site).get(path)).cacheStatus, soon).toMatch(/hit/)
const seenBy = (site: Site, path: string, text: string) =>
  expect.poll(async () => (await visitorOf(site).get(path)).text.includes(text), soon).toBe(true)

describe('a journal that redirects every other name to its public one, and saves over an API that names no page', () => {
  let system: ContentSystem
  let site: Site
  test('is connected, made fast, and used by everybody', async () => {
    ;({ system, site } = await connect(JOURNAL))
    expect(site.publicAddress).toBe(JOURNAL.publicAddress)
    await keep(site, await tryAll(site))
    const post = system.posts[2]!
    for (const path of ['/', addressOf(system, post)]) await isShared(site, path)
    await journey(site, addressOf(system, post))
  })
  test('the question about events is answered by watching: its sitemap has dates', async () => {
    await stack.api('POST', `/sites/${site.id}/watch/looks`)
    const { changes } = await stack.api<Site>('GET', `/sites/${site.id}`)
    expect([changes.told, changes.watching.works]).toEqual(['watching', true])
    await page.goto(`${stack.url}/sites/${site.id}/site`)
    await page.getByText(/checks the home page, the feed .* and the sitemap .* once a minute/).waitFor()
    const post = system.edit(system.posts[3]!.id, { title: 'Seen by watching' })
    await stack.api('POST', `/sites/${site.id}/watch/looks`)
    for (const path of ['/', addressOf(system, post)]) await seenBy(site, path, 'Seen by watching')
  })
  test('an editor saves through live, by a call that names no page', async () => {
    const editor = await signedIn(site, 'editor', 'lanterns')
    const post = system.posts[1]!
    await isShared(site, addressOf(system, post))
    const saved = await editor.json('/api/content', { id: post.id, title: 'Saved by the editor' })
    expect(saved.text).toBe('{"saved":true}')
    for (const path of [addressOf(system, post), '/']) await seenBy(site, path, 'Saved by the editor')
  })
  test('a change that its system tells of is seen by the next visitor', async () => {
    const { plainUrl } = await stack.api<EventTarget>('GET', `/sites/${site.id}/event-target`)
    const post = system.edit(system.posts[8]!.id, { title: 'Told by the system' })
    const body = JSON.stringify({ changed: `${JOURNAL.publicAddress}${addressOf(system, post)}` })
    await isShared(site, '/?page=2')
    expect((await fetch(plainUrl, { method: 'POST', body })).status).toBe(200)
    for (const path of [addressOf(system, post), '/?page=2'])
      expect((await visitorOf(site).get(path)).text).toContain('Told by the system')
  })
})

describe('a shop that gives everybody a session and forbids storing every page', () => {
  let system: ContentSystem
  let site: Site
  const accounts = [
    { kind: 'form', fields: { name: 'ingrid', password: 'herring' } },
    { kind: 'form', fields: { name: 'osric', password: 'mussels' } },
  ]
  const check = async (): Promise<NonNullable<PrivacyState['latest']>> => {
    await stack.api('POST', `/sites/${site.id}/privacy/checks`, { visitors: accounts })
    const latest = async () => (await stack.api<PrivacyState>('GET', `/sites/${site.id}/privacy`)).latest
    await expect.poll(async () => (await latest())?.state, { timeout: 120_000 }).not.toBe('running')
    return (await latest())!
  }
  test('a setup that would give members the page of guests is refused, and the screen says why', async () => {
    ;({ system, site } = await connect(CHANDLERY))
    const kinds = [{ name: 'All', paths: ['/*'], overrule: true, ignoredCookies: ['portal_session'] }]
    const trial = await tryAll(site, { kinds })
    expect((await check()).state).toBe('leaks')
    await expect(keep(site, trial)).rejects.toThrow('PRIVACY_CHECK_NEEDED')
    await page.goto(`${stack.url}/sites/${site.id}/remedies`)
    const panel = page.getByRole('region', { name: 'Privacy check' })
    await panel
      .getByText(/they got somebody else’s page from the store/)
      .first()
      .waitFor()
    await panel.getByText('This cannot be published.').waitFor()
    expect(await accessibilityProblems(page)).toEqual([])
  })
  test('shared until a session holds something, it passes, and most visits come from the store', async () => {
    await tryAll(site, { kinds: [] })
    await page.reload()
    await page.getByText('No page of this site can be shared so far').waitFor()
    await page.getByRole('button', { name: 'Share pages until the session holds something' }).click()
    await page.getByText('No page of this site can be shared so far').waitFor({ state: 'detached' })
    const trial = await stack.api<Trial>('GET', `/sites/${site.id}/trial`)
    expect(await check()).toMatchObject({ state: 'passed', leaks: [] })
    await keep(site, trial)
    const path = addressOf(system, system.posts[2]!)
    await isShared(site, path)
    await journey(site, path)
  })
  test('who fills a basket sees it everywhere, and nobody else does', async () => {
    const path = addressOf(system, system.posts[2]!)
    const buyer = visitorOf(site)
    await buyer.get(path)
    expect(buyer.cookies.pairs).toEqual([])
    expect((await buyer.form('/basket', { item: 'rope' })).text).toContain('rope')
    for (const place of ['/', path, '/about']) expect((await buyer.get(place)).text).toContain('1 in the basket')
    expect((await visitorOf(site).get('/')).text).toContain('0 in the basket')
  })
  test('an editor saves a form at the address of the page', async () => {
    const editor = await signedIn(site, 'editor', 'lanterns')
    const path = addressOf(system, system.posts[4]!)
    await isShared(site, path)
    await editor.form(path, { text: 'Sold out since this morning.' })
    await seenBy(site, path, 'Sold out since this morning.')
  })
})

describe('notices with flat addresses, scheduled posts and numbered pages', () => {
  let system: ContentSystem
  let site: Site
  test('has a few kinds of pages, is made fast, and used by everybody', async () => {
    ;({ system, site } = await connect(NOTICES))
    expect(site.check.kinds.length).toBeLessThan(8)
    await keep(site, await tryAll(site))
    const path = addressOf(system, system.posts[2]!)
    for (const place of ['/', path, '/page/2/']) await isShared(site, place)
    await journey(site, path)
  })
  test('a post that is due is published by the call that was proposed, and moves the lists', async () => {
    const due = system.add('Due tonight at Tarn', Date.now() + 50)
    await page.goto(`${stack.url}/sites/${site.id}/site`)
    await expect.poll(() => Date.now(), soon).toBeGreaterThan(due.publishedAt)
    expect(await page.getByLabel('Address to call').inputValue()).toBe('/cron/run')
    await page.getByRole('button', { name: 'Call it', exact: true }).click()
    await page.getByText(/^Called .*; it answered\.$/).waitFor()
    expect(due.state).toBe('published')
    expect(await accessibilityProblems(page)).toEqual([])
    await stack.api('POST', `/sites/${site.id}/watch/looks`)
    await seenBy(site, '/', due.title)
    // The last one of the first page has moved to the second, whose address tells nothing of it.
    await seenBy(site, '/page/2/', system.posts[6]!.title)
  })
  test('an editor’s new title is on the page that was looked at, on the numbered page and in the archive', async () => {
    const editor = await signedIn(site, 'editor', 'lanterns')
    const post = system.posts[9]!
    const lists = ['/page/2/', `/category/${post.category}/`]
    for (const path of [addressOf(system, post), ...lists]) await isShared(site, path)
    await editor.get(addressOf(system, post))
    await editor.json('/api/content', { id: post.id, title: 'Renamed by the editor' })
    for (const path of [addressOf(system, post), ...lists]) await seenBy(site, path, 'Renamed by the editor')
  })
})

test('the interface reported no error on the way', () => {
  expect(complaints).toEqual([])
})
