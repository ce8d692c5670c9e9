import { expect, test } from 'vitest'
import { againstAll } from './testing/against-all.ts'

// Judged by trying everything there is: every quality of every form.
test('the choice is nearly as light as any there is, on forty made-up pictures', async () => {
  const { chosen, best, worst } = await againstAll(Array.from({ length: 40 }, (_, i) => i + 1))
  expect(chosen / best).toBeLessThan(1.02)
  // Where similarity does not grow with quality, a lower one may do by chance.
  expect(worst).toBeLessThan(1.1)
}, 600_000)
