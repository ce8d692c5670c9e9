import { describe, expect, test } from 'vitest'
import { mounted } from '../testing/mounted.ts'
import SecondsRuler from './SecondsRuler.vue'

const draw = (props: Record<string, unknown>): HTMLElement =>
  mounted(SecondsRuler, { scale: { endMs: 5000, ticksMs: [0, 2500, 5000] }, about: 'Home page as “Phone”', ...props })

describe('the seconds ruler', () => {
  test('says in words what it draws', () => {
    const label = draw({ origin: 4300, live: 1200, trial: null, floorMs: 490 })
      .querySelector('[role=img]')
      ?.getAttribute('aria-label')
    expect(label).toBe('Home page as “Phone”: Origin 4.3 s, Live 1.2 s, floor 0.49 s')
  })
  test('draws a lane for each side that was measured, at its place on the scale', () => {
    const host = draw({ origin: 2500, trial: 1250 })
    const widths = [...host.querySelectorAll<HTMLElement>('.lane .stretch')].map(({ style }) => style.width)
    expect(widths).toEqual(['50%', '25%'])
  })
  test('says when nothing was measured', () => {
    expect(draw({}).textContent).toContain('Not measured yet')
  })
})
