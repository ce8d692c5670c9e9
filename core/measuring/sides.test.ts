import { describe, expect, test } from 'vitest'
import { Side } from '../contracts/measuring.ts'
import { LINK_PRESETS, presetOf } from '../sampling/link-presets.ts'
import { sideName, sideRank, sideWords, versionOf } from './sides.ts'
import { aVisitor } from './testing/made-up.ts'

describe('sides', () => {
  test.each<[Side, string, string]>([
    ['origin', 'Origin', 'from your server (origin)'],
    ['live', 'Live', 'live'],
    ['trial', 'Trial', 'in trial'],
    ['version-12', 'Version 12', 'in version 12'],
    ['again', 'Repeat', 'in the repeat'],
    ['archive', 'Archive', 'in the archive'],
  ])('%s is called %s', (side, name, words) => expect([sideName(side), sideWords(side)]).toEqual([name, words]))
  test('earlier states rank first: origin, versions by number, live, trial', () => {
    const sides: Side[] = ['trial', 'version-10', 'live', 'origin', 'version-9']
    expect(sides.toSorted((a, b) => sideRank(a) - sideRank(b))).toEqual([
      'origin',
      'version-9',
      'version-10',
      'live',
      'trial',
    ])
  })
  test('only versions have a number', () => expect([versionOf('version-3'), versionOf('live')]).toEqual([3, undefined]))
  test.each(['version-', 'version-x', 'Live', 'version-1.5'])('%j is no side', (text) =>
    expect(Side.safeParse(text).success).toBe(false),
  )
})

describe('links from poor to good', () => {
  test('each is found again by its figures; other figures are nobody’s', () => {
    for (const preset of LINK_PRESETS) expect(presetOf(aVisitor(preset))?.id).toBe(preset.id)
    expect(presetOf(aVisitor({ downKbps: 1234 }))).toBeUndefined()
  })
  test('they go from poor to good', () => {
    const rates = LINK_PRESETS.map(({ downKbps }) => downKbps)
    expect(rates).toEqual(rates.toSorted((a, b) => a - b))
  })
})
