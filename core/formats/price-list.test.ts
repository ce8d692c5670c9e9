import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Region } from '../contracts/regions.ts'
import { readPriceList, writePriceList } from './price-list.ts'

const money = fc.integer({ min: 0, max: 100_000 }).map((cents) => cents / 100)
const anyRegion = fc
  .record({
    name: fc.string({ minLength: 1, maxLength: 40 }).filter((name) => name.trim() === name && !/[\0-\x1f]/.test(name)),
    latitude: fc.integer({ min: -90, max: 90 }),
    longitude: fc.integer({ min: -180, max: 180 }),
    perMonth: money,
    prices: fc.array(money, { minLength: 1, maxLength: 5 }),
    perMillionRequests: money,
  })
  .map(({ name, latitude, longitude, perMonth, prices, perMillionRequests }): Region => ({
    name,
    place: { name, latitude, longitude },
    perMonth,
    perGb: prices.map((perGb, i) => ({ perGb, upToGb: i === prices.length - 1 ? null : (i + 1) * 1000 })),
    perMillionRequests,
  }))

test('a price list that is written is read back as it was', () => {
  fc.assert(
    fc.property(fc.uniqueArray(anyRegion, { selector: ({ name }) => name, maxLength: 8 }), (regions) => {
      expect(readPriceList(writePriceList(regions))).toEqual({ regions, problems: [] })
    }),
  )
})

describe('a price list', () => {
  test('is read whatever the order of its columns, with quotes (RFC 4180 §2.6), a mark of its byte order, and steps', () => {
    const text = '\uFEFFPer_GB,Name,Longitude,Latitude\r\n0.1 to 500; 0.05,"Low, Shoal",-24,-8\r\n\r\n'
    expect(readPriceList(text)).toEqual({
      regions: [
        {
          name: 'Low, Shoal',
          place: { name: 'Low, Shoal', latitude: -8, longitude: -24 },
          perMonth: 0,
          perGb: [
            { perGb: 0.1, upToGb: 500 },
            { perGb: 0.05, upToGb: null },
          ],
          perMillionRequests: 0,
        },
      ],
      problems: [],
    })
  })
  test.each([
    ['no place', 'A,,-24,0.1', 'Line 2: latitude cannot be read.'],
    ['no price', 'A,1,2,', 'Line 2: per_gb cannot be read.'],
    ['a price below zero', 'A,1,2,-1', 'Line 2: per_gb cannot be read.'],
    ['a place off the globe', 'A,91,2,1', 'Line 2: latitude cannot be read.'],
    [
      'steps that fall',
      'A,1,2,0.1 to 500; 0.2 to 400; 0.3',
      'Line 2: the steps of per_gb must rise, the last without "to".',
    ],
    ['a line that ends too soon', 'A', 'Line 2: latitude, longitude, per_gb cannot be read.'],
    ['a name that is there twice', 'A,1,2,1\nA,3,4,1', 'Line 3: "A" is there twice.'],
  ])('%s is named by line, and the others are read', (_what, lines, problem) => {
    const { regions, problems } = readPriceList(`name,latitude,longitude,per_gb\n${lines}\nB,5,6,1`)
    expect(problems).toEqual([problem])
    expect(regions.at(-1)?.name).toBe('B')
  })
  test('without a column that is needed says which', () => {
    expect(readPriceList('name,latitude\nA,1').problems).toEqual([expect.stringContaining('longitude, per_gb')])
    expect(readPriceList('').problems).toHaveLength(1)
  })
})
