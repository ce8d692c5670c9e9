import { describe, expect, test } from 'vitest'
import { endToEndFields, fieldsFromRaw, fieldValue, listMembers, withField } from './fields.ts'

describe('RFC 9110 §5.6.1, lists', () => {
  test.each([
    ['the example with empty members', 'foo , ,bar,charlie', ['foo', 'bar', 'charlie']],
    ['a comma inside a quoted string does not separate', 'a="x,y", b', ['a="x,y"', 'b']],
    ['an escaped quote does not end the string', String.raw`a="x\",y", b`, [String.raw`a="x\",y"`, 'b']],
    ['nothing', ' , ', []],
  ])('%s: %s', (_why, value, members) => {
    expect(listMembers(value)).toEqual(members)
  })
})

describe('field lines', () => {
  test('lines of one name are joined in order (RFC 9110 §5.2)', () => {
    const fields = fieldsFromRaw(['Cache-Control', 'public', 'X', '1', 'cache-control', 'max-age=5'])
    expect(fieldValue(fields, 'cache-control')).toBe('public, max-age=5')
  })
  test('setting a field replaces all its lines', () => {
    const fields = withField(fieldsFromRaw(['A', '1', 'a', '2', 'b', '3']), 'a', '4')
    expect(fields).toEqual([
      ['b', '3'],
      ['a', '4'],
    ])
  })
})

test('RFC 9110 §7.6.1: hop-by-hop fields and those Connection nominates are not forwarded', () => {
  const fields = fieldsFromRaw([
    'Connection',
    'close, X-Private',
    'X-Private',
    '1',
    'Keep-Alive',
    'timeout=5',
    'Transfer-Encoding',
    'chunked',
    'TE',
    'trailers',
    'Upgrade',
    'h2c',
    'Proxy-Authorization',
    'x',
    'Content-Type',
    'text/html',
  ])
  expect(endToEndFields(fields)).toEqual([['content-type', 'text/html']])
})
