import { describe, expect, test } from 'vitest'
import { bytes, howMany, seconds, timeLeft, whole } from './show.ts'

describe('how figures are written', () => {
  test.each([
    [0, '0 B'],
    [999, '999 B'],
    [1500, '1.5 KB'],
    [15_400, '15 KB'],
    [2_540_000, '2.5 MB'],
    [25_400_000, '25 MB'],
    [3_256_000_000, '3.3 GB'],
    [32_560_000_000, '33 GB'],
  ])('%i bytes: %s', (count, text) => expect(bytes(count)).toBe(text))
  test('what was not measured is a dash, never 0', () => {
    expect([seconds(null), seconds(undefined), bytes(null), whole(null)]).toEqual(['–', '–', '–', '–'])
    expect(seconds(0)).toBe('0.00 s')
  })
  test.each([
    [0, '0 pages'],
    [1, '1 page'],
    [1200, '1,200 pages'],
  ])('%i of them: %s', (count, text) => expect(howMany(count, 'page')).toBe(text))
  test.each([
    [null, 'time left not known yet'],
    [400, 'about 1 s left'],
    [42_000, 'about 42 s left'],
    [150_000, 'about 3 min left'],
  ])('%s ms left: %s', (ms, text) => expect(timeLeft(ms)).toBe(text))
})
