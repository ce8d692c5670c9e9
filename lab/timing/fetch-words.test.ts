import { expect, test } from 'vitest'
import { destinationOf, priorityOf } from './fetch-words.ts'

test.each([
  ['Document', 'document'],
  ['Stylesheet', 'style'],
  ['Media', 'video'],
  ['XHR', 'fetch'],
  ['Ping', 'other'],
  [undefined, 'other'],
])('what the browser calls %s is “%s” in the Fetch standard’s words', (type, destination) =>
  expect(destinationOf(type)).toBe(destination),
)

test('the five priorities of a browser keep their order as urgencies (RFC 9218 §4.1: 0 is the most urgent)', () => {
  const given = ['VeryHigh', 'High', 'Medium', 'Low', 'VeryLow'].map(priorityOf)
  expect(given.map(({ urgency }) => urgency)).toEqual([0, 1, 2, 3, 4])
  expect(given.map(({ priority }) => priority)).toEqual(['high', 'high', 'auto', 'low', 'low'])
})

test('an unknown priority says nothing', () => expect(priorityOf('Odd')).toEqual({ priority: 'auto', urgency: null }))
