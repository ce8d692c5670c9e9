import { expect, test } from 'vitest'
import { cookieEffect, type CookieTrial } from './cookie-effect.ts'

const tried = (without: string, having: string, more: Partial<CookieTrial> = {}): CookieTrial => ({
  path: '/',
  without: [without, without],
  with: [having, having],
  markedPersonal: false,
  markedWithout: false,
  ...more,
})

test.each<[string, CookieTrial[], string]>([
  ['a page that stays the same', [tried('<p>x</p>', '<p>x</p>')], 'none'],
  ['a greeting', [tried('<p>x</p>', '<p>x</p>'), tried('Sign in', 'Hello Ann')], 'changes'],
  ['an answer marked as one visitor’s', [tried('x', 'x', { markedPersonal: true })], 'personal'],
  ['marks that are there without it, too', [tried('x', 'x', { markedPersonal: true, markedWithout: true })], 'none'],
  ['nonces that are new each time', [tried('n=abc12345', 'n=def67890')], 'none'],
  ['a page that is never the same', [tried('x', 'x', { without: ['a joke', 'another joke'] })], 'unsteady'],
])('%s', (_what, trials, effect) => {
  expect(cookieEffect('c', trials, false).effect).toBe(effect)
  expect(cookieEffect('c', trials, true).effect).toBe(effect === 'none' ? 'session' : effect)
})
