import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { PlannerFacts, PlanSettings } from '../../core/contracts/planner.ts'
import { Setup } from '../../core/contracts/setup.ts'
import type { Simulation } from '../../core/contracts/simulations.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { simulations } from '../db/planner-schema.ts'
import { versions } from '../db/schema.ts'
import { ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  bench.site = (path) => {
    if (path === '/sitemap.xml')
      return {
        body: `<urlset>${['/', '/stories/a', '/stories/b'].map((one) => `<url><loc>${bench.siteUrl}${one}</loc></url>`).join('')}</urlset>`,
      }
    return { headers: { 'content-type': 'text/html' }, body: '<title>Test Quay</title>' }
  }
  site = await bench.connect()
  await bench.services.db.update(versions).set({ setup: Setup.parse({ remedies: { pageCache: { enabled: true } } }) })
})
afterEach(() => bench.close())

const path = () => `/sites/${site.id}/planner`
const facts = async (): Promise<PlannerFacts> => (await bench.call('GET', path())).body
const simulated = async (order: object): Promise<Simulation> => {
  const { status, body } = await bench.call('POST', `${path()}/simulations`, order)
  expect([status, body.kind]).toEqual([202, 'simulation'])
  await bench.services.jobs.idle()
  return (await bench.call('GET', `${path()}/simulations/${body.subjectId}`)).body
}
const assumed = { kind: 'assumed', visitsPerDay: 200 }
const LOG = Array.from(
  { length: 48 },
  (_, hour) =>
    `192.0.2.7 - - [${String(10 + Math.floor(hour / 24))}/Nov/2026:${String(hour % 24).padStart(2, '0')}:10:00 +0000] "GET /stories/a HTTP/1.1" 200 900 "-" "Mozilla/5.0"`,
).join('\n')

describe('a simulation that is ordered', () => {
  test('says what comes of settings beside what is in force', async () => {
    const { now } = await facts()
    const settings: PlanSettings = { ...now, lifetimeS: 7 * 86_400, kinds: [] }
    const { state, result } = await simulated({ traffic: assumed, what: { kind: 'try', settings } })
    expect(state).toBe('done')
    expect(result?.simulated.visits).toBeGreaterThan(1000)
    expect(result?.plan?.settings).toEqual(settings)
    expect(result?.plan?.figures.coldPerMille).toBeLessThan(result?.now.figures.coldPerMille ?? 0)
    expect(result?.search).toBeNull()
  })
  test('proposes settings within bounds, and tells how far it is', async () => {
    const bounds = { originPerDay: 500, oldestS: 4 * 3600 }
    const { result } = await simulated({ traffic: assumed, what: { kind: 'propose', bounds } })
    expect(result?.search?.bounds).toEqual(bounds)
    expect(result?.search?.points.length).toBeGreaterThan(10)
    expect(result?.plan?.figures.age99S).toBeLessThanOrEqual(4 * 3600)
    const steps = bench.events.flatMap((event) => (event.kind === 'job' ? [event.job.now] : []))
    expect(steps).toContain('Trying settings')
  })
  test('says where nothing keeps the bounds, with what was tried', async () => {
    const { result } = await simulated({
      traffic: assumed,
      what: { kind: 'propose', bounds: { originPerDay: 1, oldestS: 60 } },
    })
    expect([result?.plan, result?.search?.kept]).toEqual([null, 0])
    expect(result?.search?.points.length).toBeGreaterThan(3)
  })
  test('replays an access log, which is not kept', async () => {
    const { now } = await facts()
    const { result } = await simulated({ traffic: { kind: 'log', text: LOG }, what: { kind: 'try', settings: now } })
    expect(result?.simulated.visits).toBe(48)
    const rows = await bench.services.db.select().from(simulations)
    expect(rows.map(({ log }) => log)).toEqual([null])
    expect(JSON.stringify(rows)).not.toContain('192.0.2.7')
  })
  test('fails with a sentence where a log holds no visits, and keeps nothing of it', async () => {
    const { state, result } = await simulated({
      traffic: { kind: 'log', text: 'secret line' },
      what: { kind: 'propose' },
    })
    expect([state, result]).toEqual(['failed', null])
    const [job] = await bench.services.jobs.list()
    expect(job?.error).toContain('None of the 1 lines is a visit of a page')
    expect(JSON.stringify(await bench.services.db.select().from(simulations))).not.toContain('secret line')
  })
  test('keeps nobody from changing the trial', async () => {
    const { now } = await facts()
    await bench.call('POST', `${path()}/simulations`, { what: { kind: 'try', settings: now } })
    expect(await bench.services.jobs.hasOpen(site.id)).toBe(false)
    await bench.services.jobs.idle()
  })
  test.each([
    ['unknown traffic', { traffic: { kind: 'guessed' }, what: { kind: 'propose' } }],
    ['no visits', { traffic: { kind: 'assumed', visitsPerDay: 0 }, what: { kind: 'propose' } }],
    ['nothing to do', {}],
    ['a bound of nothing', { what: { kind: 'propose', bounds: { oldestS: 0 } } }],
  ])('is refused with %s', async (_, order) => {
    expect((await bench.call('POST', `${path()}/simulations`, order)).status).toBe(422)
  })
  test('of another site is not shown', async () => {
    const { now } = await facts()
    const { id } = await simulated({ what: { kind: 'try', settings: now } })
    expect((await bench.call('GET', `/sites/none/planner/simulations/${id}`)).status).toBe(404)
  })
})
