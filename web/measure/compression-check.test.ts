import { afterEach, expect, test, vi } from 'vitest'
import type { QuickCheck } from '../../core/contracts/quick-check.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal, whatOf } from '../testing/answers.ts'
import { mounted, press, textOf } from '../testing/mounted.ts'
import CompressionCheck from './CompressionCheck.vue'

afterEach(() => vi.unstubAllGlobals())

const checked = (address: string, sentBytes: number, coding?: string): QuickCheck => ({
  ...{ address, tookMs: 5, sentBytes, decodedBytes: 9000, points: [] },
  hops: [
    {
      ...{ url: address, status: 200, protocol: 'http/1.1', location: null, certificate: null },
      ...{ lookupMs: 0, connectMs: 1, tlsMs: 0, waitMs: 5 },
      fields: [
        ['content-type', 'text/html'],
        ...(coding === undefined ? [] : [['content-encoding', coding] as [string, string]]),
      ],
    },
  ],
  sizes: [
    { coding: 'none', level: 0, bytes: 9000 },
    { coding: 'gzip', level: 6, bytes: 2000 },
    { coding: 'br', level: 11, bytes: 1500 },
  ],
})

test('each type is checked at the origin and at live; what is plain comes with three ways to switch it on', async () => {
  const site = aSite()
  let atOrigin: [number, string?] = [9000]
  const asked = answering({
    [`GET /sites/${site.id}/compression-plan`]: { paths: ['/', '/a.css'], accepts: ['gzip', 'br'] },
    [`POST /sites/${site.id}/quick-checks`]: ({ address }: { address: string }) =>
      address.startsWith(site.liveUrl) ? refusal('Not reached.') : checked(address, ...atOrigin),
  })
  const host = mounted(CompressionCheck, { site })
  await press(host, 'Check every type')
  await vi.waitFor(() => expect(textOf(host)).toContain('Together your server sends 18 KB'))
  expect(whatOf(asked).filter((what) => what.startsWith('POST')).length).toBe(4)
  expect(textOf(host)).toContain('This browser accepts gzip, Brotli from Zest Lamp.')
  expect(textOf(host)).toContain('Three ways to switch it on')
  expect(textOf(host)).toContain('sends text without compression')
  // Once it is switched on, the first check stands beside the new one.
  atOrigin = [2000, 'gzip']
  await press(host, 'Check again')
  await vi.waitFor(() => expect(textOf(host)).toContain('Together your server sends 4.0 KB'))
  expect(textOf(host)).toContain('First check')
  expect(textOf(host)).not.toContain('Three ways to switch it on')
})
