import { expect, test } from 'vitest'
import { Setup, type Remedies } from '../contracts/setup.ts'
import { oldPages } from './old-pages.ts'

type Changes = { [Id in keyof Remedies]?: Partial<Remedies[Id]> }
const setup = (remedies: Changes): Setup => Setup.parse({ remedies })
const CACHE = { pageCache: { enabled: true } } as Changes

test.each<[string, Changes, Changes, string]>([
  ['another remedy', CACHE, { ...CACHE, minify: { enabled: true } }, 'usable-meanwhile'],
  ['another lifetime', CACHE, { pageCache: { enabled: true, lifetimeS: 60 } }, 'usable-meanwhile'],
  [
    'no stale pages allowed',
    CACHE,
    { pageCache: { enabled: true, staleWhileRevalidateS: 0 }, minify: { enabled: true } },
    'not-usable',
  ],
  [
    'a remedy switched off, perhaps since it breaks pages',
    { ...CACHE, minify: { enabled: true } },
    CACHE,
    'not-usable',
  ],
  ['others share what was stored', CACHE, { pageCache: { enabled: true, deviceClasses: true } }, 'not-usable'],
  [
    'a cookie that is no longer ignored',
    { pageCache: { enabled: true, kinds: [{ name: 'K', paths: ['/'], ignoredCookies: ['a'] } as never] } },
    CACHE,
    'not-usable',
  ],
  ['the page cache switched on', {}, CACHE, 'not-usable'],
])('%s', (_what, before, after, expected) => {
  expect(oldPages(setup(before), setup(after))).toBe(expected)
})
