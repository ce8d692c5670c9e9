import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { robotsRules } from './robots.ts'

const lines = (...all: string[]): string => all.join('\n')

/** RFC 9309 §5.1 (from memory). */
const SIMPLE = lines(
  'User-Agent: *',
  'Disallow: *.gif$',
  'Disallow: /example/',
  'Allow: /publications/',
  '',
  'User-Agent: foobot',
  'Disallow:/',
  'Allow:/example/page.html',
  'Allow:/example/allowed.gif',
  '',
  'User-Agent: barbot',
  'User-Agent: bazbot',
  'Disallow: /example/page.html',
  '',
  'User-Agent: quxbot',
)

describe('a robots.txt (RFC 9309)', () => {
  test.each([
    ['anybot', '/example/page.html', false],
    ['anybot', '/publications/one', true],
    ['anybot', '/quay.gif', false],
    ['anybot', '/quay.gif?a', true],
    ['foobot', '/example/page.html', true],
    ['foobot', '/example/allowed.gif', true],
    ['FooBot', '/publications/', false],
    ['barbot', '/example/page.html', false],
    ['bazbot', '/example/page.html', false],
    ['bazbot', '/example/other.html', true],
    ['quxbot', '/example/page.html', true],
  ])('%s may ask for %s: %s', (product, target, may) => expect(robotsRules(SIMPLE, product)(target)).toBe(may))

  test.each([
    // §5.2, "Longest Match"
    [
      lines('User-Agent: foobot', 'Allow: /example/page/', 'Disallow: /example/page/disallowed.gif'),
      '/example/page/disallowed.gif',
      false,
    ],
    // §2.2.2: "If an "allow" rule and a "disallow" rule are equivalent, then the "allow" rule SHOULD be used."
    [lines('user-agent: *', 'disallow: /a', 'allow: /a'), '/a', true],
    // §2.2.2, table of encoded octets
    [lines('user-agent: *', 'disallow: /foo/bar/ツ'), '/foo/bar/%E3%83%84', false],
    [lines('user-agent: *', 'disallow: /foo/bar/%E3%83%84'), '/foo/bar/%E3%83%84', false],
    [lines('user-agent: *', 'disallow: /foo/bar/%62%61%7A'), '/foo/bar/baz', false],
    // §2.2.1: groups of one product are one group
    [
      lines('user-agent: foobot', 'disallow: /a', 'user-agent: *', 'disallow: /', 'user-agent: foobot', 'disallow: /b'),
      '/b',
      false,
    ],
    [lines('user-agent: foobot', 'disallow: /a', 'user-agent: *', 'disallow: /'), '/c', true],
    // §2.3.1.1 and usual mistakes
    ['', '/a', true],
    ['<html>not found</html>', '/a', true],
    ['disallow: /a', '/a', true],
    [lines('user-agent: *', 'disallow:'), '/a', true],
    [lines('user-agent: * # everybody', 'disallow: /a # not this'), '/a', false],
    [lines('user-agent: *', 'disallow: /'), '/robots.txt', true],
    [lines('user-agent: *', 'disallow: /*/print$'), '/stories/print', false],
    [lines('user-agent: *', 'disallow: /*/print$'), '/stories/print/2', true],
  ])('%j about %s: %s', (text, target, may) => expect(robotsRules(text, 'foobot')(target)).toBe(may))

  test('is read whatever stands in it, in the time of its length', () => {
    const part = fc.constantFrom('user-agent: *', 'disallow: ', 'allow: /', '*', '$', 'a', '\n', ':', '#', '%2')
    fc.assert(
      fc.property(fc.array(part, { maxLength: 60 }), (parts) => {
        expect(typeof robotsRules(parts.join(''), 'foobot')('/a*a$')).toBe('boolean')
      }),
    )
    expect(robotsRules(`user-agent: *\ndisallow: /${'a*'.repeat(10_000)}b`, 'x')(`/${'a'.repeat(4000)}`)).toBe(true)
  })
})
