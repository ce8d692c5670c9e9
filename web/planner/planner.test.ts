import { nextTick } from 'vue'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { PlannerFacts, PlanOrder } from '../../core/contracts/planner.ts'
import { aKind, aPage, plannerFacts } from '../../core/planner/testing/planner-facts.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, choose, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import { Cancelled, PlannerClient, type PlannerThread } from './planner-client.ts'
import type { PlannerOrder } from './planner-messages.ts'
import { PlannerWork } from './planner-work.ts'
import PlannerPanel from './PlannerPanel.vue'
import PlanTraffic from './PlanTraffic.vue'
import SavedPlanNote from './SavedPlanNote.vue'

/** In place of the browser's threads: what is sent is copied as there, and worked off one after the other. */
class FakeThread implements PlannerThread {
  static readonly all: FakeThread[] = []
  onmessage: PlannerThread['onmessage'] = null
  onerror: PlannerThread['onerror'] = null
  ended = false
  readonly #work = new PlannerWork((data) => {
    if (!this.ended) this.onmessage?.({ data: structuredClone(data) })
  })
  #last: Promise<void> = Promise.resolve()

  constructor() {
    FakeThread.all.push(this)
  }
  postMessage(order: PlannerOrder): void {
    // Files cannot be copied here.
    const sent = order.kind === 'log' ? order : structuredClone(order)
    this.#last = this.#last.then(() => new Promise((next) => setTimeout(next))).then(() => this.#work.carryOut(sent))
  }
  terminate(): void {
    this.ended = true
  }
}

const facts = plannerFacts({
  pages: [aPage('/', { visitsPerDay: 60 }), aPage('/stories/a', { kind: 1, visitsPerDay: 3 })],
  kinds: [
    aKind('Other pages', { visitsPerDay: 60 }),
    aKind('Stories', { paths: ['/stories/*'], visitsPerDay: 3, changesPerDay: 0.5 }),
  ],
})

beforeEach(() => {
  FakeThread.all.length = 0
  vi.stubGlobal('Worker', FakeThread)
})
afterEach(() => vi.unstubAllGlobals())

describe('the planner', () => {
  const opened = async (known: PlannerFacts = facts) => {
    const asked = answering({
      'GET /sites/quay/planner': known,
      'POST /sites/quay/planner/plans': { setup: {}, revision: 2, changes: [], basedOn: 1, openEntryId: null },
    })
    const host = mounted(PlannerPanel, { site: aSite() })
    await expect.poll(() => textOf(host)).toContain('Kind of page')
    return { asked, host }
  }
  const simulated = (host: Element) => expect.poll(() => textOf(host), { timeout: 15_000 }).toContain('Simulated:')
  const cell = (host: Element, row: string, column: number): string =>
    textsOf(host, 'tbody tr')
      .map((_, at) => host.querySelectorAll('tbody tr')[at])
      .filter((one) => textOf(one).startsWith(row))
      .map((one) => textOf(one?.querySelectorAll('td')[column]))[0] ?? ''

  test('shows what is in force beside the plan, and follows the plan', async () => {
    const { host } = await opened()
    await simulated(host)
    const [now, before] = [cell(host, 'Cold visits', 0), cell(host, 'Cold visits', 1)]
    expect(now).toBe(before)
    expect(button(host, 'Put the plan into the trial').disabled).toBe(true)
    await choose(host, 'Lifetime of Other pages', '1 day')
    await expect.poll(() => cell(host, 'Cold visits', 1), { timeout: 15_000 }).not.toBe(before)
    expect(Number(cell(host, 'Cold visits', 1))).toBeLessThan(Number(now))
    expect(cell(host, 'Cold visits', 0)).toBe(now)
  })
  test('starts from an assumption where nothing was counted', async () => {
    const { host } = await opened({ ...facts, counted: { from: 'nothing', days: 0 } })
    await simulated(host)
    await type(field(host, 'Page visits per day'), '50')
    await expect.poll(() => textsOf(host, 'tbody tr')[0], { timeout: 15_000 }).toMatch(/Stories1(19|2\d)/)
  })
  test('proposes settings, and puts them into the trial', async () => {
    const { host, asked } = await opened()
    await simulated(host)
    await press(host, 'Propose')
    await expect.poll(() => textOf(host), { timeout: 30_000 }).toMatch(/settings tried, [\d,]+ keep your bounds/)
    expect(host.querySelectorAll('svg circle').length).toBeGreaterThan(10)
    await expect.poll(() => button(host, 'Put the plan into the trial').disabled, { timeout: 15_000 }).toBe(false)
    await press(host, 'Put the plan into the trial')
    await expect.poll(() => asked.find(({ what }) => what.startsWith('POST'))?.body).toBeDefined()
    const { settings, predicted } = asked.find(({ what }) => what.startsWith('POST'))?.body as PlanOrder
    expect(settings.lifetimeS).toBeGreaterThan(3600)
    expect(predicted.coldPerMille).toBeLessThan(50)
  })
  test('says where nothing keeps the bounds', async () => {
    const { host } = await opened()
    await simulated(host)
    await type(field(host, 'Most page requests to your server (origin) per day'), '1')
    await press(host, 'Propose')
    await expect.poll(() => textOf(host), { timeout: 30_000 }).toContain('keeps both bounds. The fewest requests')
  })
  test('warns where nothing tells of changes, and offers no longer lifetimes then', async () => {
    const { host } = await opened(
      plannerFacts({ kinds: facts.kinds, told: null, longestUntoldS: 600, now: { ...facts.now, lifetimeS: 600 } }),
    )
    expect(textOf(host)).toContain('Nothing tells Zest Lamp of changes yet, so pages are kept for 10 minutes at most')
    expect(textsOf(host, 'option')).not.toContain('1 hour, ')
    expect(textsOf(host, 'td option')).not.toContain('1 hour')
  })
})

describe('the planner’s thread', () => {
  const on = { traffic: { kind: 'counted' }, changesPerDay: [0, 0] } as const
  const client = () => new PlannerClient(facts, () => new FakeThread())
  test('is ended by cancelling, and begins again with the next order', async () => {
    // One of an earlier test may still begin.
    const threads: FakeThread[] = []
    const simulation = new PlannerClient(facts, () => {
      const thread = new FakeThread()
      threads.push(thread)
      return thread
    })
    const search = simulation.search(on, { originPerDay: 100, oldestS: 3600 }, () => undefined)
    simulation.cancel()
    await expect(search).rejects.toBeInstanceOf(Cancelled)
    expect(threads[0]?.ended).toBe(true)
    expect((await simulation.try(on, [facts.now])).figures).toHaveLength(1)
    expect(threads).toHaveLength(2)
  })
  test('reports how far a search has come', async () => {
    const steps: number[] = []
    await client().search(on, { originPerDay: 100, oldestS: 600 }, (done) => steps.push(done))
    expect(steps.length).toBeGreaterThan(3)
    expect(steps).toEqual(steps.toSorted((a, b) => a - b))
  })
  test('that fails says so', async () => {
    const simulation = client()
    const attempt = simulation.try({ ...on, traffic: { kind: 'log' } }, [facts.now])
    await expect(attempt).rejects.toThrow('No access log has been read')
  })
  test('replays an access log, also after it was cancelled', async () => {
    const simulation = client()
    const lines = Array.from({ length: 60 }, (_, minute) => {
      const time = `29/Nov/2026:10:${String(minute).padStart(2, '0')}:00 +0000`
      return `192.0.2.1 - - [${time}] "GET /stories/${minute % 3} HTTP/1.1" 200 1`
    })
    const file = new Blob([lines.join('\r\n')])
    // jsdom's files cannot be read piece by piece.
    Object.assign(file, { stream: () => new Response(lines.join('\n')).body })
    expect(await simulation.readLog(file)).toMatchObject({ lines: 60, visits: 60 })
    simulation.cancel()
    const { simulated } = await simulation.try({ ...on, traffic: { kind: 'log' } }, [facts.now])
    expect(simulated.visits).toBe(60)
    expect(await simulation.readLog(Object.assign(new Blob(), { stream: () => new Response('nothing').body }))).toBe(
      undefined,
    )
  })
})

describe('reading a log', () => {
  const MEGABYTE = `${'x'.repeat(999)}\n`.repeat(1000)
  /** A log of some megabytes, which comes one by one; jsdom's files cannot be read piece by piece. */
  const longLog = (megabytes: number): Blob => {
    let left = megabytes
    const stream = () =>
      new ReadableStream<Uint8Array>({
        pull: (controller) => {
          if (left-- > 0) controller.enqueue(new TextEncoder().encode(MEGABYTE))
          else controller.close()
        },
      })
    return { stream, size: megabytes * MEGABYTE.length } as Blob
  }
  const client = () => new PlannerClient(facts, () => new FakeThread())

  test('tells how much of it has been read', async () => {
    const steps: number[][] = []
    await client().readLog(longLog(13), (...step) => steps.push(step))
    expect(steps).toEqual([
      [4e6, 13e6],
      [8e6, 13e6],
      [12e6, 13e6],
    ])
  })
  test('can be cancelled on the way', async () => {
    const simulation = client()
    const reading = simulation.readLog(longLog(1000), () => simulation.cancel())
    await expect(reading).rejects.toBeInstanceOf(Cancelled)
  })
  test('shows its progress, with a way out', async () => {
    const told: string[] = []
    const host = mounted(PlanTraffic, {
      facts,
      log: null,
      reading: { done: 4e6, total: 16e6, msLeft: 9000 },
      source: 'log',
      visitsPerDay: 1,
      exponent: 1,
      onCancel: () => told.push('cancelled'),
    })
    expect(host.querySelector('[role="progressbar"]')?.getAttribute('aria-label')).toBe('25% of the log read')
    await press(host, 'Cancel')
    expect(told).toEqual(['cancelled'])
  })
})

describe('a plan that was put into the trial', () => {
  const { now } = facts
  const figures = {
    visitsPerDay: 1,
    coldPerMille: 12.34,
    outdatedPerMille: 0,
    medianAgeS: 1,
    age99S: 1,
    originPerDay: 1,
    warmUpPerDay: 0,
    busiestMinute: 1,
    storedBytes: 1,
  }
  const shown = async (more: object) => {
    const plan = { at: '2026-11-01T10:00:00Z', settings: now, predicted: figures, liveAt: null, counted: null, ...more }
    const host = mounted(SavedPlanNote, { plan, siteId: 'quay' })
    await nextTick()
    return textOf(host)
  }
  test.each([
    ['waits for the trial to be kept', {}, 'Keep the trial, and its lifetimes go live'],
    ['has just gone live', { liveAt: '2026-11-02T10:00:00Z' }, 'Nothing has been counted since'],
    [
      'has been live for a month',
      { liveAt: '2026-11-02T10:00:00Z', counted: { days: 27, visits: 54_321, coldPerMille: 13.6 } },
      'Predicted: 12 cold visits per 1,000. Counted: 14, from 54,321 visits in 27 days.',
    ],
  ])('%s', async (_when, more, sentence) => expect(await shown(more)).toContain(sentence))
})
