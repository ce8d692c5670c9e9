// @vitest-environment jsdom
import { createApp, h } from 'vue'
import { createVuetify } from 'vuetify'
import { describe, expect, test } from 'vitest'
import type { z } from 'zod'
import type { VerdictKind } from '../../core/contracts/measurements.ts'
import SlowSearch from './SlowSearch.vue'

const below = (kind: z.infer<typeof VerdictKind>, disabled = false) => {
  const host = document.createElement('div')
  let asked = 0
  createApp({ render: () => h(SlowSearch as never, { result: { verdict: { kind } }, disabled, onSearch: () => asked++ }) })
    .use(createVuetify())
    .mount(host) // prettier-ignore
  return { button: host.querySelector('button'), asked: () => asked }
}

describe('the search for what slows a page', () => {
  test.each(['faster', 'no-difference', 'too-few', 'broken'] as const)('is not offered where trial is %s', (kind) => {
    expect(below(kind).button).toBeNull()
  }) // prettier-ignore
  test('is offered where trial is slower', () => {
    const { button, asked } = below('slower')
    button!.click()
    expect(asked()).toBe(1)
  })
})
