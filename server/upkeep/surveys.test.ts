import { expect, test } from 'vitest'
import { QuietHours } from '../../core/contracts/clean-up.ts'
import { withoutElements } from './surveys.ts'

test.each([
  ['a<script>b</script>c', 'a c'],
  ['a<script src=x>b</script>c<script>d</script>e', 'a c e'],
  ['a<script>b', 'a'],
  ['abc', 'abc'],
])('What a page shows of %o is %o', (html, text) => {
  expect(withoutElements(html, 'script')).toBe(text)
})

test('A page of tags that never end is read in one pass', () => {
  expect(withoutElements('<script'.repeat(600_000), 'script')).toBe('')
})

test('A time zone that no clock knows is refused', () => {
  expect(QuietHours.safeParse({ from: '02:00', to: '03:00', zone: 'Sea/Sound' }).success).toBe(false)
  expect(QuietHours.safeParse({ from: '02:00', to: '03:00', zone: 'Europe/Dublin' }).success).toBe(true)
})
