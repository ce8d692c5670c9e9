import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { rewriteHostsInFields, rewriteHosts } from './host-rewrite.ts'

const addresses = { others: ['quay.example', 'origin.example:8080'], own: 'http://trial.quay.example:8410' }
const translated = (text: string): string => rewriteHosts(text, addresses)

describe('a trial stays within itself', () => {
  test.each([
    ['<a href="https://quay.example/stories">', '<a href="http://trial.quay.example:8410/stories">'],
    ['<a href="//quay.example/stories">', '<a href="//trial.quay.example:8410/stories">'],
    [
      '<link rel=canonical href=http://origin.example:8080>',
      '<link rel=canonical href=http://trial.quay.example:8410>',
    ],
    ['{"url":"https:\\/\\/quay.example\\/a"}', '{"url":"http:\\/\\/trial.quay.example:8410\\/a"}'],
    ['src="HTTPS://QUAY.EXAMPLE/a.png"', 'src="http://trial.quay.example:8410/a.png"'],
  ])('%s', (before, after) => expect(translated(before)).toBe(after))
  test.each([
    'https://media.quay.example/a.png',
    'http://origin.example:9090/a.png',
    'http://origin.example/a.png',
    'https://quay.example.org/',
    'https://quay.example-tags.org/',
    'mail@quay.example',
    'Visit quay.example today',
    'https://tags.example/?from=quay.example',
  ])('%s stays: it is another name, or no address', (text) => expect(translated(text)).toBe(text))
  test('what has been translated is not translated again', () =>
    fc.assert(
      fc.property(fc.webPath(), (path) => {
        const once = translated(`<a href="https://quay.example${path}">`)
        expect(translated(once)).toBe(once)
      }),
    ))
  test('fields that name addresses follow, and a cookie is for this host alone (RFC 6265 §4.1.2.3)', () => {
    expect(
      rewriteHostsInFields(
        [
          ['location', 'https://quay.example/basket'],
          ['set-cookie', 'basket=1; Domain=.quay.example; Path=/'],
          ['x-note', 'https://quay.example/basket'],
        ],
        addresses,
      ),
    ).toEqual([
      ['location', 'http://trial.quay.example:8410/basket'],
      ['set-cookie', 'basket=1; Path=/'],
      ['x-note', 'https://quay.example/basket'],
    ])
  })
})
