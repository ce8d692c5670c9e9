import { geoDistance } from 'd3-geo'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { distanceMs, greatCircleKm, PATH_STRETCH } from './distance.ts'

const place = fc.record({
  latitude: fc.double({ min: -90, max: 90, noNaN: true }),
  longitude: fc.double({ min: -180, max: 180, noNaN: true }),
})

describe('distance', () => {
  test('as npm d3-geo has it', () => {
    fc.assert(
      fc.property(place, place, (a, b) => {
        const reference = geoDistance([a.longitude, a.latitude], [b.longitude, b.latitude]) * 6371.0088
        expect(greatCircleKm(a, b)).toBeCloseTo(reference, 3)
      }),
    )
  })
  test('a quarter of the globe is 10,008 km; along cables 175 ms there and back (light in fibre about 200,000 km/s)', () => {
    const [equator, pole] = [
      { name: 'E', latitude: 0, longitude: 0 },
      { name: 'N', latitude: 90, longitude: 0 },
    ]
    expect(greatCircleKm(equator, pole)).toBeCloseTo(10_007.5, 0)
    expect(distanceMs(equator, pole)).toBeCloseTo(10_007.5 * PATH_STRETCH * 0.01, 1)
  })
  test('while a place is not known, distance adds nothing', () => {
    expect(distanceMs(null, { name: 'N', latitude: 90, longitude: 0 })).toBe(0)
  })
})
