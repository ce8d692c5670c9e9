import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { Site } from '../../core/contracts/sites.ts'
import { ServerBench } from '../testing/server-bench.ts'

/** A site whose feed, sitemap and home page show what was edited. */

let bench: ServerBench
let site: Site
interface Story {
  readonly path: string
  text: string
  lastmod: string
}
let stories: Story[]
let feeds: boolean
let dates: boolean
const story = (name: string): Story => ({
  path: `/stories/${name}`,
  text: `About ${name}`,
  lastmod: '2026-11-29',
})

const answer = (path: string, base: string): { type: string; body: string } | undefined => {
  const link = feeds ? `<link rel="alternate" type="application/rss+xml" href="${base}/feed.xml">` : ''
  if (path === '/')
    return {
      type: 'text/html',
      body: `<title>Quay</title>${link}${stories
        .slice(0, 2)
        .map(({ text }) => `<h2>${text}</h2>`)
        .join('')}`,
    }
  if (path === '/feed.xml' && feeds)
    return {
      type: 'application/rss+xml',
      body: `<rss version="2.0"><channel>${stories
        .slice(0, 3)
        .map(({ path: to, text }) => `<item><link>${base}${to}</link><title>${text}</title></item>`)
        .join('')}</channel></rss>`,
    }
  if (path === '/sitemap.xml')
    return {
      type: 'application/xml',
      body: `<urlset>${stories.map(({ path: to, lastmod }) => `<url><loc>${base}${to}</loc>${dates ? `<lastmod>${lastmod}</lastmod>` : ''}</url>`).join('')}</urlset>`,
    }
  return undefined
}

beforeEach(async () => {
  stories = ['fog', 'storm', 'ice', 'tide'].map(story)
  feeds = true
  dates = true
  bench = await ServerBench.open()
  bench.site = (path) => {
    const found = answer(path, bench.siteUrl)
    return found === undefined ? undefined : { headers: { 'content-type': found.type }, body: found.body }
  }
  site = await bench.connect()
})
afterEach(() => bench.close())

const look = async (): Promise<Site> => (await bench.call('POST', `/sites/${site.id}/watch/looks`)).body
const purgedPaths = (): string[] =>
  bench.purges.flatMap(({ what }) => (what.kind === 'paths' ? what.paths : [what.kind]))
const lifetimeInForce = (): number =>
  bench.configs.at(-1)!.sites[0]!.channels.find(({ channel }) => channel === 'live')!.setup.remedies.pageCache.lifetimeS

describe('a watched site', () => {
  test('says what is watched, and the first look purges nothing', async () => {
    const { changes } = await look()
    expect(changes.watching.sources).toEqual([
      { path: '/', kind: 'home' },
      { path: '/feed.xml', kind: 'feed' },
      { path: '/sitemap.xml', kind: 'sitemap' },
    ])
    expect([changes.told, changes.watching.works]).toEqual(['watching', true])
    expect(purgedPaths()).toEqual([])
  })
  test('has a page that was edited purged, with the home page and the lists it stands in', async () => {
    await look()
    stories[1]!.text = 'The storm is over'
    await look()
    expect(purgedPaths()).toEqual(expect.arrayContaining(['/stories/storm', '/', '/stories', '/feed.xml']))
    expect(purgedPaths()).not.toContain('/stories/fog')
  })
  test('a page that only the dates of the sitemap show is purged too', async () => {
    await look()
    stories[3]!.lastmod = '2026-11-30'
    await look()
    expect(purgedPaths()).toContain('/stories/tide')
    expect(purgedPaths()).not.toContain('/stories/ice')
  })
  test('a new page, and one that was taken off', async () => {
    await look()
    stories = [story('wreck'), ...stories.filter(({ path }) => path !== '/stories/storm')]
    await look()
    expect(purgedPaths()).toEqual(expect.arrayContaining(['/stories/wreck', '/stories/storm']))
  })
  test('is not purged while nothing changes', async () => {
    for (let i = 0; i < 3; i++) await look()
    expect(purgedPaths()).toEqual([])
  })
  test('that fails keeps what was read for the time when it is well', async () => {
    await look()
    const well = bench.site
    bench.site = () => ({ status: 500, body: '' })
    expect((await look()).changes.watching.problem).toContain('status 500')
    bench.site = well
    stories[0]!.text = 'The fog has lifted'
    await look()
    expect(purgedPaths()).toContain('/stories/fog')
  })
  test('shows among the last calls what was seen', async () => {
    await look()
    stories[0]!.text = 'The fog has lifted'
    await look()
    const { calls } = (await bench.call('GET', `/sites/${site.id}/event-target`)).body
    expect(calls[0]).toMatchObject({ how: 'watched', problem: null })
  })
})

describe('how long pages are kept', () => {
  beforeEach(async () => {
    const setup = { remedies: { pageCache: { enabled: true, lifetimeS: 36_000 } } }
    const { body } = await bench.call('PUT', `/sites/${site.id}/trial`, { setup })
    await bench.call('POST', `/sites/${site.id}/trial/keep`, { revision: body.revision })
  })
  test('ten minutes while nothing tells of changes; as set once watching works', async () => {
    expect(lifetimeInForce()).toBe(600)
    await look()
    expect(lifetimeInForce()).toBe(36_000)
  })
  test('as set from the first call on', async () => {
    const { plainUrl } = (await bench.call('GET', `/sites/${site.id}/event-target`)).body
    await fetch(plainUrl, { method: 'POST', body: 'https://elsewhere.example/' })
    expect((await bench.call('GET', `/sites/${site.id}`)).body.changes.told).toBeNull()
    await fetch(plainUrl, { method: 'POST', body: '/stories/fog' })
    await expect.poll(lifetimeInForce).toBe(36_000)
  })
  test('as set where the owner wants it so', async () => {
    await bench.call('PUT', `/sites/${site.id}/watch`, { lifetimes: 'as-set' })
    expect(lifetimeInForce()).toBe(36_000)
  })
  test('short again for a site whose watching is switched off', async () => {
    await look()
    await bench.call('PUT', `/sites/${site.id}/watch`, { enabled: false })
    expect(lifetimeInForce()).toBe(600)
  })
  test('short where only the home page can be watched: it says nothing of the others', async () => {
    feeds = false
    dates = false
    const { changes } = await look()
    expect([changes.told, changes.watching.sources]).toEqual([null, [{ path: '/', kind: 'home' }]])
    expect(lifetimeInForce()).toBe(600)
  })
})
