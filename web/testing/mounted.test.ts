import { onBeforeUnmount } from 'vue'
import { expect, test } from 'vitest'
import { mounted } from './mounted.ts'

const gone: string[] = []
const Clock = {
  setup: () => {
    onBeforeUnmount(() => gone.push('the clock'))
    return () => 'a clock'
  },
}

test('a component is shown as long as its test runs', () => {
  expect(mounted(Clock).textContent).toBe('a clock')
  expect(gone).toEqual([])
})
test('it is taken down before the next test, so that nothing it does by itself is seen there', () => {
  expect(gone).toEqual(['the clock'])
})
