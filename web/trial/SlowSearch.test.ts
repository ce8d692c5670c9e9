import { describe, expect, test } from 'vitest'
import type { z } from 'zod'
import type { VerdictKind } from '../../core/contracts/measurements.ts'
import { mounted } from '../testing/mounted.ts'
import SlowSearch from './SlowSearch.vue'

const below = (kind: z.infer<typeof VerdictKind>, disabled = false) => {
  let asked = 0
  const host = mounted(SlowSearch, { result: { verdict: { kind } }, disabled, onSearch: () => asked++ })
  return { button: host.querySelector('button'), asked: () => asked }
}

describe('the search for what slows a page', () => {
  test.each(['faster', 'no-difference', 'too-few', 'broken'] as const)('is not offered where trial is %s', (kind) => {
    expect(below(kind).button).toBeNull()
  })
  test('is offered where trial is slower', () => {
    const { button, asked } = below('slower')
    button!.click()
    expect(asked()).toBe(1)
  })
})
