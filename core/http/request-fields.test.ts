import { describe, expect, test } from 'vitest'
import type { Fields } from './fields.ts'
import { unknownField, wantedForm } from './request-fields.ts'

const none = (): boolean => false

describe('request fields that may change an answer', () => {
  test.each<[string, Fields, string | undefined]>([
    [
      'what browsers send is ordinary',
      [
        ['user-agent', 'x'],
        ['sec-ch-ua', 'x'],
        ['dnt', '1'],
      ],
      undefined,
    ],
    ['a key of a program is not', [['x-api-key', 'k']], 'x-api-key'],
    [
      'nor is the mark of a script that wants a part of a page',
      [
        ['x-requested-with', 'x'],
        ['sec-fetch-mode', 'cors'],
      ],
      'x-requested-with',
    ],
    [
      'where a page is opened no script can add fields: it was added on the way',
      [
        ['x-office', '1'],
        ['sec-fetch-mode', 'navigate'],
      ],
      undefined,
    ],
    [
      'nor where a page names a file',
      [
        ['x-office', '1'],
        ['sec-fetch-mode', 'no-cors'],
      ],
      undefined,
    ],
  ])('%s', (_why, fields, unknown) => expect(unknownField(fields, none)).toBe(unknown))
  test('what the owner calls harmless is', () =>
    expect(unknownField([['x-office', '1']], (name) => name === 'x-office')).toBeUndefined())
})

describe('the form that a request wants (RFC 9110 §12.5.1)', () => {
  test.each([
    ['a browser that opens a page', 'text/html,application/xhtml+xml,*/*;q=0.8', '/a', 'page'],
    ['anything', '*/*', '/a', 'page'],
    ['a picture', 'image/avif,image/*,*/*;q=0.8', '/a', 'page'],
    ['JSON first', 'application/json, text/plain, */*', '/a', 'data'],
    ['JSON of another kind', 'application/ld+json', '/a', 'other'],
    ['a calendar', 'text/calendar', '/a', 'other'],
    ['JSON of a file that has its form in its name', 'application/json', '/departures.json', 'page'],
  ])('%s', (_why, accept, path, form) => expect(wantedForm([['accept', accept]], path)).toBe(form))
})
