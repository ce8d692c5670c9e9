import { describe, expect, it, vi } from 'vitest'
import { emptySetup, Setup } from '../../core/contracts/setup.ts'
import { setupDigest } from './setup-digest.ts'

const withCache = (): Setup =>
  Setup.parse({ remedies: { pageCache: { enabled: true, kinds: [{ name: 'Stories', paths: ['/stories/*'] }] } } })

describe('the digest of a setup', () => {
  it('is the same for the same settings, whatever the order they are written in', () => {
    const there = Setup.parse({ remedies: { pageCache: { enabled: true }, compression: { gzip: false } } })
    const back = Setup.parse({ remedies: { compression: { gzip: false }, pageCache: { enabled: true } } })
    expect(setupDigest(there)).toBe(setupDigest(back))
  })

  it.each([
    ['a switch', { remedies: { pageCache: { enabled: true } } }],
    ['a switch that was on', { remedies: { compression: { brotli: false } } }],
    ['a number', { remedies: { pageCache: { lifetimeS: 60 } } }],
    ['an emptied list', { remedies: { pageCache: { passPaths: [] } } }],
    ['a setting of the whole site', { redirectToHttps: true }],
  ])('is another one after a change of %s', (_, changed) => {
    expect(setupDigest(Setup.parse(changed))).not.toBe(setupDigest(emptySetup()))
  })

  it('stays as it was when a later version adds a setting that nobody has touched', async () => {
    const before = setupDigest(withCache())
    vi.resetModules()
    const contracts = await import('../../core/contracts/setup.ts')
    const later = contracts.Setup.extend({ addedLater: contracts.Setup.shape.redirectToHttps })
    vi.doMock('../../core/contracts/setup.ts', () => ({
      ...contracts,
      Setup: later,
      emptySetup: () => later.parse({}),
    }))
    const ofLaterVersion = await import('./setup-digest.ts')
    vi.doUnmock('../../core/contracts/setup.ts')
    expect(ofLaterVersion.setupDigest(withCache())).toBe(before)
  })
})
