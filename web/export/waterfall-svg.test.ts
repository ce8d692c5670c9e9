import { describe, expect, test } from 'vitest'
import { aRequest, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { waterfallRows } from '../waterfall/rows.ts'
import { fileName } from './save.ts'
import { waterfallSvg } from './waterfall-svg.ts'

describe('a waterfall on paper', () => {
  const rows = waterfallRows([
    aRequest({ url: 'http://quay.example/', connectMs: 50, waitMs: 100, receiveMs: 50 }),
    aRequest({ url: 'http://quay.example/a"<b>.css', startMs: 200, waitMs: 100, fromCache: true }),
  ])
  const { svg, height } = waterfallSvg('Home & away', rows, someMetrics(400, { fcpMs: 300 }), 500)
  test('has a row for each request, with its size beside it', () => {
    expect(svg.match(/text-anchor="end">1\.0 KB</g)?.length).toBe(1)
    expect(svg).toContain('>cache<')
    expect(height).toBeGreaterThan(2 * 18)
  })
  test('marks first paint and main content', () => {
    expect(svg).toContain('first paint 0.30 s')
    expect(svg).toContain('main content 0.40 s')
  })
  test('what comes from addresses cannot break out of it', () => {
    expect(svg).toContain('Home &amp; away')
    expect(svg).not.toContain('<b>')
  })
})

test.each([
  [['/stories/a b', 'live', 'phone'], 'csv', 'stories-a-b-live-phone.csv'],
  [['Ünïcode…'], 'png', 'n-code.png'],
])('%j makes the file name of a %s', (parts, ending, name) => expect(fileName(parts, ending)).toBe(name))
