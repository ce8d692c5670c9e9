import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { SnapshotOrder, type PageSnapshot } from '../../core/contracts/safety.ts'
import { compareSnapshots } from '../../core/safety/compare-snapshots.ts'
import { learnVarying } from '../../core/safety/varying-elements.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { html, MadeUpSite, SVG } from '../timing/testing/made-up-site.ts'
import { LinkRelay } from '../link/link-relay.ts'
import { look } from './page-snapshot.ts'

/** What is seen of a page in real Chromium, judged by what the page is known to do. */

let site: MadeUpSite
beforeAll(async () => {
  site = await MadeUpSite.open()
})
afterAll(() => site.close())

const seen = async (body: string, more: Partial<SnapshotOrder> = {}): Promise<PageSnapshot> => {
  site.pages = {
    '/a.svg': (_req, res) => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(SVG),
    '/next': html('<h1>Next</h1>'),
    ...site.pages,
    // The page of this test, whatever an earlier one has left.
    '/': html(body),
  }
  const visitor = { ...DEFAULT_VISITORS[1]!, roundTripMs: 2, cpuSlowdown: 1 }
  const relay = new LinkRelay({ ...visitor, privateAddresses: 'allowed' })
  const order = SnapshotOrder.parse({
    kind: 'look',
    id: '1',
    url: `${site.origin}/`,
    visitor,
    watch: { ms: 0, until: [] },
    timeoutMs: 20_000,
    ...more,
  })
  const outcome = await look(site.browser, order, await relay.listen())
  await relay.close()
  if (outcome.kind === 'failed') throw new Error(outcome.why)
  return outcome.sight
}

const PAGE = `
<h1>Quays</h1><p style="display:none">hidden</p>
<button id="menu">Menu</button><button id="dead">Nothing</button>
<form method="post" action="/order"><button>Order</button></form>
<a href="/sign-out">Sign out</a>
<img src="/a.svg" width="100" alt="quay"><img src="/none.png" width="50" height="50" alt="">
<div style="height:3000px"></div><img loading="lazy" src="/a.svg?far" width="100" height="80" alt="far">
<script>
  document.getElementById('menu').onclick = () => document.body.classList.toggle('open')
  document.getElementById('dead').onclick = () => fetch('/count', { method: 'POST' }) && 0
  console.error('something is wrong at ' + location.href)
  notDefined()
</script>`

describe('one look', () => {
  let sight: PageSnapshot
  beforeAll(async () => {
    sight = await seen(PAGE)
  })
  test('tells errors, without the host that differs between live and trial', () =>
    expect(sight.console).toEqual(['something is wrong at /', 'notDefined is not defined']))
  test('tells own files that fail', () =>
    expect(sight.failed).toContainEqual({ path: '/none.png', why: 'answered with status 404', own: true }))
  test('tells what is to be read, and nothing that is hidden', () => {
    const words = sight.elements.map(({ text }) => text)
    expect(words).toContain('Quays')
    expect(words).not.toContain('hidden')
  })
  test('tells which pictures are shown, also far down', () =>
    expect(sight.pictures.map(({ path, shown }) => [path, shown])).toEqual([
      ['/a.svg', true],
      ['/none.png', false],
      ['/a.svg', true],
    ]))
  test('presses what does not lead away, and nothing else', () => {
    expect(sight.controls.map(({ name, reacted }) => [name, reacted])).toEqual([
      ['Menu', true],
      ['Nothing', true],
    ])
    expect(site.asked).not.toContain('/order')
    expect(site.asked).not.toContain('/sign-out')
  })
  test('never sends what could change the site', () => expect(site.asked).not.toContain('/count'))
  test('has a picture of the whole page, and its colours', () => {
    expect(sight.grid!.rows * sight.grid!.size).toBeGreaterThan(3000)
    expect(Buffer.from(sight.picture, 'base64').subarray(0, 2)).toEqual(Buffer.from([0xff, 0xd8]))
  })
})

describe('looks beside each other', () => {
  test('what moves by itself is seen while it is watched', async () => {
    const slider = '<h1>a</h1><p id="s">one</p><script>setInterval(() => { s.textContent += "." }, 300)</script>'
    const { moving } = await seen(slider, { watch: { ms: 1500, until: ['body > p'] } })
    expect(moving).toEqual(['body > p'])
  })
  test('a page that lost its script is broken, and the evidence names the button', async () => {
    const page = (script: string): string => `<h1>a</h1><button id="menu">Menu</button>${script}`
    const live = await seen(page('<script>menu.onclick = () => menu.classList.toggle("on")</script>'))
    const trial = await seen(page(''))
    const { findings } = compareSnapshots(live, learnVarying(live, live), trial)
    expect(findings.map(({ kind, items }) => [kind, items])).toEqual([['dead', ['“Menu” (body > button)']]])
  })
  test('a quick look takes no picture and presses nothing', async () => {
    const sight = await seen(PAGE, { depth: 'quick' })
    expect([sight.grid, sight.picture, sight.controls]).toEqual([null, '', []])
    expect(sight.console).toHaveLength(2)
  })
  test('journeys say whether they arrive, and where they stopped', async () => {
    const journey = (id: string, target: string) => ({
      id,
      name: id,
      steps: [
        { do: 'open' as const, path: '/next' },
        { do: 'see' as const, target },
      ],
    })
    const { journeys } = await seen('<h1>a</h1>', {
      journeys: [journey('there', 'h1'), journey('nowhere', '.none')],
      timeoutMs: 2000,
    })
    expect(journeys.map(({ id, why }) => [id, why === null])).toEqual([
      ['there', true],
      ['nowhere', false],
    ])
    expect(journeys[1]!.why).toMatch(/step 2, waiting for \.none/)
  })
})
