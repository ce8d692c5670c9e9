import { describe, expect, test } from 'vitest'
import type { Region } from '../contracts/regions.ts'
import { costOfMonth, monthOf, regionOfEdge } from './edge-cost.ts'

const region = (name: string, longitude: number): Region => ({
  ...{ name, place: { name, latitude: 0, longitude }, perMonth: 10, perMillionRequests: 0.5 },
  perGb: [
    { upToGb: 100, perGb: 0.1 },
    { upToGb: null, perGb: 0.05 },
  ],
})
const [east, west] = [region('East', 60), region('West', -60)]
const place = (longitude: number) => ({ name: 'Somewhere', latitude: 0, longitude })

describe('the price of an edge', () => {
  test.each([
    ['of its name', { name: 'east', place: place(-60) }, 'East'],
    // One degree along the equator is 111.2 km.
    ['of its town', { name: 'isle', place: place(-60.4) }, 'West'],
    ['not of another town', { name: 'isle', place: place(-61) }, undefined],
    ['not of a place that nobody knows', { name: 'isle', place: null }, undefined],
  ])('is that %s', (_what, edge, name) => {
    expect(regionOfEdge(edge, [east, west])?.name).toBe(name)
  })
})

describe('what a month costs', () => {
  const half = Date.UTC(2026, 5, 16)
  const start = Date.UTC(2026, 5, 1)
  test('an invoice worked out by hand: half of June gone, steps are crossed in the second half', () => {
    // So far 10 + 80 × 0.1 + 2 × 0.5 = 19; all 160 GB and 4 million: 10 + 100 × 0.1 + 60 × 0.05 + 4 × 0.5 = 25.
    const found = costOfMonth(east, { gb: 80, requests: 2e6, from: start }, half)
    expect(found.cost).toBeCloseTo(19, 9)
    expect(found.forecast).toBeCloseTo(25, 9)
  })
  test('what began in the middle is carried on from there, not from the first', () => {
    // A day with 5 GB, and 15 to come: 80 GB.
    const found = costOfMonth(east, { gb: 5, requests: 0, from: Date.UTC(2026, 5, 15) }, half)
    expect(found.forecast).toBeCloseTo(10 + 80 * 0.1, 9)
  })
  test('nothing is foretold from less than an hour', () => {
    expect(costOfMonth(east, { gb: 1, requests: 0, from: half - 3_500_000 }, half).forecast).toBeNull()
  })
  test('months are those of UTC', () => {
    expect(monthOf(new Date('2026-12-31T23:59:59Z'))).toBe('2026-12')
    expect(monthOf(new Date('2027-01-01T00:30:00+01:00'))).toBe('2026-12')
  })
})
