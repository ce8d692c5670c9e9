import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { RULE_IDS, type RulesChoice } from '../contracts/server-rules.ts'
import { Setup } from '../contracts/setup.ts'
import { findBlock, withBlock } from './marked-block.ts'
import { lineDifference, readBack } from './read-back.ts'
import { chosenRules, rulesText } from './server-rules.ts'

const choices: fc.Arbitrary<RulesChoice> = fc.record({
  kind: fc.constantFrom('apache', 'nginx', 'nginx-site'),
  wanted: fc.subarray([...RULE_IDS]),
  host: fc.constantFrom(null, 'quay.example'),
  brotli: fc.constantFrom('there', 'not-there'),
  preloads: fc.constantFrom([], ['/style.css', '/fonts/a.woff2', '/caf%C3%A9.js']),
  leftOut: fc.constant([]),
})
const SITE = { address: 'https://quay.example', originKey: 'a-key' }

describe('a block read back', () => {
  test('says what was chosen when it was made', () => {
    const check = (choice: RulesChoice, ending: string): void => {
      const sections = chosenRules(choice, Setup.parse({}), SITE)
      const found = findBlock(withBlock(`# mine${ending}`, rulesText(sections)))
      const back = readBack(found.kind === 'ours' ? found.rules : '')
      const made = sections.map(({ id }) => id)
      expect(back.wanted).toEqual(made)
      expect(back.host).toBe(made.includes('https') ? choice.host : null)
      expect(back.preloads).toEqual(made.includes('preload') ? choice.preloads : [])
      expect(back.brotli).toBe(choice.kind === 'nginx' && made.includes('compression') ? choice.brotli : 'not-there')
    }
    fc.assert(fc.property(choices, fc.constantFrom('\n', '\r\n'), check))
  })
  test('of another hand says nothing', () => {
    expect(readBack('Header set X-Quay 1')).toEqual({
      wanted: [],
      host: null,
      brotli: 'not-there',
      preloads: [],
    })
  })
})
describe('the difference of two blocks', () => {
  test('has each line as often as it goes or comes', () => {
    const some = fc.array(fc.constantFrom('a', 'b', 'c', 'd', ''))
    const check = (before: string[], after: string[]): void => {
      const { gone, come } = lineDifference(before.join('\n'), after.join('\r\n'))
      const count = (lines: readonly string[], line: string): number => lines.filter((one) => one === line).length
      for (const line of ['a', 'b', 'c', 'd'])
        expect(count(come, line) - count(gone, line)).toBe(count(after, line) - count(before, line))
      expect(gone.some((line) => come.includes(line))).toBe(false)
    }
    fc.assert(fc.property(some, some, check))
  })
})
