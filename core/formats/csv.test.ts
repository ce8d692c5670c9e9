import { expect, test } from 'vitest'
import { toCsv } from './csv.ts'

test('RFC 4180: commas, quotes and line breaks stand in quotes, lines end with CRLF', () => {
  expect(
    toCsv(
      ['a', 'b'],
      [
        ['x,y', 'say "quay"'],
        ['two\nlines', null],
        [1.5, ''],
      ],
    ),
  ).toBe('a,b\r\n"x,y","say ""quay"""\r\n"two\nlines",\r\n1.5,\r\n')
})
test('what a spreadsheet would carry out is made plain text', () => {
  expect(toCsv(['a'], [['=HYPERLINK("x")'], ['-1'], [-1]])).toBe('a\r\n"\'=HYPERLINK(""x"")"\r\n\'-1\r\n-1\r\n')
})
