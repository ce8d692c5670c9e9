import { nextTick } from 'vue'
import { describe, expect, test } from 'vitest'
import type { Run } from '../../core/contracts/measurements.ts'
import { aVisitor, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { mounted } from '../testing/mounted.ts'
import FilmStrip from './FilmStrip.vue'

const run = (side: 'live' | 'trial', instants: number[]): Run => ({
  id: side,
  pageId: 'p',
  path: '/',
  visitorId: 'laptop',
  side,
  visit: 'first',
  pair: 3,
  purpose: 'look',
  at: '2026-11-26T03:00:00.000Z',
  metrics: someMetrics(instants.at(-1)!),
  failure: null,
  visitor: aVisitor(),
  floorMs: null,
  requests: [],
  frames: instants.map((atMs) => ({ atMs, jpeg: btoa(`${side} ${atMs}`) })),
  details: {
    visual: { curve: instants.map((atMs, index) => ({ atMs, share: index / (instants.length - 1) })), meanMs: 300 },
    unused: [],
    images: [],
    fonts: [],
    dom: { nodes: 1, depth: 1 },
    console: [],
    tasks: [],
    offsets: {},
    firstView: null,
  },
})
const show = (runs: Run[]): HTMLElement => mounted(FilmStrip, { runs })
const alts = (host: HTMLElement): string[] =>
  [...host.querySelectorAll('.now img')].map((image) => image.getAttribute('alt') ?? '')

describe('filmstrips', () => {
  test('of two sides stand on one clock; the cursor goes through both', async () => {
    const host = show([run('live', [0, 500, 1000]), run('trial', [0, 200, 400])])
    const slider = host.querySelector<HTMLInputElement>('input[type=range]')!
    slider.value = '400'
    slider.dispatchEvent(new Event('input'))
    await nextTick()
    expect(alts(host)).toEqual([
      'Live after 0.40 s: 0% of its final look',
      'Trial after 0.40 s: 100% of its final look',
    ])
    const captions = [...host.querySelectorAll('.strip')].map((strip) =>
      [...strip.querySelectorAll('figcaption')].map((one) => one.textContent),
    )
    expect(captions[0]).toEqual(captions[1])
    expect(captions[0]!.length).toBeLessThanOrEqual(12)
  })
  test('begin at the main content of the first', () => {
    expect(alts(show([run('live', [0, 500, 1000])]))).toEqual(['Live after 1.0 s: 100% of its final look'])
  })
  test('without pictures it says where they come from', () => {
    const { frames: _none, ...rest } = run('live', [0, 1])
    expect(show([{ ...rest, frames: [] }]).textContent).toContain('in the last load of every version')
  })
})
