import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { PageSequenceCounts } from './page-sequences.ts'

describe('which page follows which', () => {
  test('is the share of a page’s visits that went on to another', () => {
    const counts = new PageSequenceCounts()
    for (let i = 0; i < 10; i++) counts.visited('/')
    for (let i = 0; i < 6; i++) counts.visited('/timetables', '/')
    counts.visited('/about', '/')
    expect(counts.likely('/')).toEqual([
      { page: '/timetables', share: 0.6 },
      { page: '/about', share: 0.1 },
    ])
    expect(counts.visits('/timetables')).toBe(6)
  })

  test('a page does not follow itself, and a page that was never opened here leads nowhere', () => {
    const counts = new PageSequenceCounts()
    counts.visited('/a', '/a')
    counts.visited('/b', '/unknown')
    expect([counts.likely('/a'), counts.likely('/unknown')]).toEqual([[], []])
  })

  test('what visitors do now counts more than what they did long ago', () => {
    const counts = new PageSequenceCounts()
    const days = (next: string): void => {
      for (let i = 0; i < 3000; i++) {
        counts.visited('/')
        counts.visited(next, '/')
      }
    }
    days('/summer')
    days('/winter')
    const [first, second] = counts.likely('/')
    expect(first?.page).toBe('/winter')
    expect(second?.share ?? 0).toBeLessThan(0.1)
  })

  test('two thousand made-up pages later, the memory is no larger, and the page that is still opened is known', () => {
    const counts = new PageSequenceCounts()
    for (let i = 0; i < 5000; i++) {
      counts.visited('/')
      counts.visited(`/made-up/${i}`, '/')
    }
    expect(counts.sequences()).toHaveLength(2000)
    expect(counts.sequences().every(({ next }) => next.length <= 16)).toBe(true)
    expect(counts.visits('/')).toBeGreaterThan(0)
  })

  test('goes on from what was kept', () => {
    const counts = new PageSequenceCounts()
    for (const [page, from] of [['/'], ['/a', '/'], ['/b', '/a'], ['/a', '/']] as const) counts.visited(page, from)
    const later = new PageSequenceCounts()
    later.goOn(counts.sequences())
    expect(later.sequences()).toEqual(counts.sequences())
  })

  // Misra and Gries 1982, Finding repeated elements: with k counters the count of an element is low by at most n/(k+1).
  test('a page that more than one visit in 17 goes on to is found, whatever the others are', () => {
    const others = fc.array(fc.nat(200), { minLength: 200, maxLength: 400 })
    fc.assert(
      fc.property(others, fc.integer({ min: 40, max: 90 }), (rare, often) => {
        const counts = new PageSequenceCounts()
        counts.visited('/')
        const order = [...rare.map((n) => `/rare/${n}`)]
        for (let i = 0; i < often; i++) order.splice((i * 7) % order.length, 0, '/often')
        for (const page of order) counts.visited(page, '/')
        const found = counts
          .sequences()
          .find(({ page }) => page === '/')
          ?.next.find(({ page }) => page === '/often')
        expect(found?.visits ?? 0).toBeGreaterThanOrEqual(often - order.length / 17)
        expect(found?.visits ?? 0).toBeLessThanOrEqual(often)
      }),
    )
  })
})
