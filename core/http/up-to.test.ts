import fc from 'fast-check'
import { expect, test } from 'vitest'
import { upTo } from './up-to.ts'

test('what stands in front of a mark is what splitting at it gives first', () => {
  fc.assert(
    fc.property(fc.string(), fc.constantFrom('?', '=', ';'), (text, mark) => {
      expect(upTo(text, mark)).toBe(text.split(mark)[0])
    }),
  )
})
test.each([
  ['/a?b?c', '?', '/a'],
  ['/a', '?', '/a'],
  ['?', '?', ''],
  ['', '?', ''],
])('of "%s" in front of "%s" it is "%s"', (text, mark, part) => expect(upTo(text, mark)).toBe(part))
