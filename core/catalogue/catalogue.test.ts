import { describe, expect, test } from 'vitest'
import { z } from 'zod'
import { emptySetup, Setup } from '../contracts/setup.ts'
import { chooseSample, pageKinds } from '../sampling/page-kinds.ts'
import { GUIDES, optionsOf } from './guides.ts'
import { REMEDIES } from './remedies.ts'
import { roughlyInWords } from './setting-sentences.ts'
import { setupChanges } from './setup-difference.ts'

describe('catalogue', () => {
  test('every remedy of a setup is explained, and none that does not exist', () => {
    expect(REMEDIES.map(({ id }) => id).sort()).toEqual(Object.keys(emptySetup().remedies).sort())
  })
  test.each(REMEDIES)('$name offers every setting it has', ({ id }) => {
    const settings = Object.keys(emptySetup().remedies[id]).filter((key) => key !== 'enabled')
    expect(
      optionsOf(id)
        .map(({ key }) => key)
        .sort(),
    ).toEqual(settings.sort())
  })
  test.each(REMEDIES)('$name says what it does, when it helps, what could break and how to undo', ({ id }) => {
    const { does, helps, avoid, couldBreak, lookAt, undo } = GUIDES[id]
    for (const text of [does, helps, avoid, couldBreak, lookAt, undo]) expect(text).toMatch(/^[A-Z0-9].{10,}[.?]$/s)
  })
})

describe('setup', () => {
  test('starts with nothing switched on', () => {
    expect(Object.values(emptySetup().remedies).every(({ enabled }) => !enabled)).toBe(true)
  })
  test('an unknown setting is refused by name', () => {
    const result = Setup.safeParse({ remedies: { pageCache: { enabeld: true } } })
    expect(result.error?.issues[0]?.message).toContain('enabeld')
  })
  test('has a JSON Schema', () => {
    expect(z.toJSONSchema(Setup, { io: 'input' })).toMatchObject({
      type: 'object',
      additionalProperties: false,
    })
  })
  test('is the same text for the same settings, whatever the order they came in', () => {
    const setup = Setup.parse({ remedies: { compression: { enabled: true } } })
    const shuffled = {
      serverTiming: setup.serverTiming,
      remedies: Object.fromEntries(Object.entries(setup.remedies).reverse()),
      format: setup.format,
    }
    expect(JSON.stringify(Setup.parse(shuffled))).toBe(JSON.stringify(setup))
  })
  test('differences are told in words', () => {
    const to = Setup.parse({ remedies: { pageCache: { enabled: true, lifetimeS: 60 } }, serverTiming: true })
    expect(setupChanges(emptySetup(), to).map(({ sentence }) => sentence)).toEqual([
      'Page cache switched on',
      'Page cache: lifetime of pages from 12 hours to 1 minute',
      'Server-Timing added to answers',
    ])
    expect(setupChanges(to, to)).toEqual([])
    const listed = Setup.parse({ remedies: { pageCache: { passPaths: ['/basket', '/fares'] } } })
    expect(setupChanges(emptySetup(), listed)[0]?.sentence).toContain('with /fares without /checkout')
  })
})

test.each([
  [0, '0 seconds'],
  [59.4, '59 seconds'],
  [119, '119 seconds'],
  [120, '2 minutes'],
  [35_996, '10 hours'],
  [100_000, '28 hours'],
  [86_400 * 30, '30 days'],
])('%d s is about %s', (s, words) => expect(roughlyInWords(s)).toBe(words))

describe('sample', () => {
  const pages = ['/', '/stories', '/stories/a', '/stories/b', '/about', '/caf%C3%A9/x'].map((path, i) => ({
    path,
    priority: path === '/stories/b' ? 0.9 : 0.1 * i,
  }))
  test('kinds are told by the first part of the path, the home page first', () => {
    expect(pageKinds(pages).map(({ name, pattern }) => [name, pattern])).toEqual([
      ['Home page', '/'],
      ['Stories', '/stories/*'],
      ['Stories (overview)', '/stories'],
      ['About (overview)', '/about'],
      ['Café', '/café/*'.replace('é', '%C3%A9')],
    ])
  })
  test('each kind is represented by its most important page', () => {
    expect(chooseSample(pageKinds(pages), 2)).toEqual([
      { path: '/', kind: 'Home page' },
      { path: '/stories/b', kind: 'Stories' },
    ])
  })
})
