import { expect, test } from 'vitest'
import { sessionCookies } from './session-cookies.ts'

test('a session is what two visitors got with long values of their own', () => {
  const one = [
    ['session', 'a1b2c3d4e5'],
    ['tint', 'dark'],
    ['check', 'works-as-it-should'],
    ['first', 'only-this-one'],
  ] as const
  const other = [
    ['session', 'f6g7h8i9j0'],
    ['tint', 'light'],
    ['check', 'works-as-it-should'],
  ] as const
  expect(sessionCookies(one, other)).toEqual(['session'])
})
