import { describe, expect, test } from 'vitest'
import type { RequestRecord } from '../../core/contracts/measuring.ts'
import { aRequest } from '../../core/measuring/testing/made-up.ts'
import { typesOf, waterfallEnd, waterfallRows } from './rows.ts'

const record = (url: string, more: Partial<RequestRecord> = {}): RequestRecord =>
  aRequest({ url, type: 'image', startMs: 100, queuedMs: 20, waitMs: 30, receiveMs: 50, ...more })

describe('waterfall', () => {
  test('phases follow each other without gaps; those without time are left out', () => {
    const [row] = waterfallRows([record('http://x.example/a/b.jpg?v=1')])
    expect(row).toMatchObject({
      name: 'b.jpg?v=1',
      host: 'x.example',
      endMs: 200,
      phases: [
        { name: 'queued', fromMs: 100, toMs: 120 },
        { name: 'wait', fromMs: 120, toMs: 150 },
        { name: 'receive', fromMs: 150, toMs: 200 },
      ],
    })
  })
  test('the home page is named by its path', () =>
    expect(waterfallRows([record('http://x.example/')])[0]?.name).toBe('/'))
  test('the axis reaches to whatever came last', () => {
    const rows = waterfallRows([record('http://x.example/')])
    expect(waterfallEnd(rows, null)).toBe(200)
    expect(waterfallEnd([], null)).toBe(100)
  })
  test('types are listed by number of requests', () => {
    const rows = waterfallRows([record('http://x/1', { type: 'script' }), record('http://x/2'), record('http://x/3')])
    expect(typesOf(rows)).toEqual(['image', 'script'])
  })
})
