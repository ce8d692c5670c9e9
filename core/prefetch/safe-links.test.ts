import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { namePatterns, pathPatterns } from '../http/patterns.ts'
import { unsafeLink, type LinkRules, type PageLink } from './safe-links.ts'

const PAGE = new URL('https://ferries.example/stories/storm')
const rules: LinkRules = {
  page: PAGE,
  passesPath: pathPatterns(['/basket', '/editor']),
  passesParameter: namePatterns(['preview', 's']),
}
const link = (href: string, more: Partial<PageLink> = {}): PageLink => ({
  address: new URL(href, PAGE),
  rel: [],
  words: 'Read on',
  attributes: ['href'],
  ...more,
})
const why = (href: string, more: Partial<PageLink> = {}) => unsafeLink(link(href, more), rules)

describe('a link that may be fetched ahead', () => {
  test.each([
    '/',
    '/stories',
    'fog-and-how-we-sail-it',
    '/timetables?season=summer',
    '/stories/2026/11/30',
    '/stories?page=2',
  ])('leads to a page of the site: %s', (href) => expect(why(href)).toBeUndefined())
})

describe('a link that must not be', () => {
  test.each([
    ['another host', 'https://elsewhere.example/', {}, 'other-site'],
    ['another scheme', 'http://ferries.example/', {}, 'other-site'],
    ['a place on this page', '#comments', {}, 'this-page'],
    ['this page itself', '/stories/storm', {}, 'this-page'],
    ['a document', '/timetables.pdf', {}, 'file'],
    ['a download', '/timetables', { attributes: ['href', 'download'] }, 'download'],
    ['what the author does not vouch for', '/a', { rel: ['nofollow'] }, 'rel'],
    ['what others have put there', '/a', { rel: ['noopener', 'ugc'] }, 'rel'],
    ['what passes through', '/editor/stories/storm', {}, 'passes'],
    ['the basket', '/shop/basket/add/3', {}, 'acts'],
    ['sign-out, by its address', '/sign-out', {}, 'acts'],
    ['sign-out, by its word alone', '/x/9', { words: 'Sign out' }, 'acts'],
    ['sign-out, by its label', '/x/9', { words: '✕ Abmelden' }, 'acts'],
    ['what deletes', '/a?action=trash', {}, 'acts'],
    ['a button made by a script', '/a', { attributes: ['href', 'onclick'] }, 'scripted'],
    ['a form made of a link', '/a', { attributes: ['href', 'data-method'] }, 'scripted'],
    ['a preview', '/a?preview=1', {}, 'parameter'],
    ['a nonce', '/a?_nonce=f3c19a7b20', {}, 'key'],
    ['a key in a value', '/a?x=9f86d081884c7d659a2feaa0c55ad015', {}, 'key'],
    ['a key in the path', '/confirm/9f86d081884c7d659a2feaa0c55ad015', {}, 'key'],
  ] as const)('is %s', (_what, href, more, reason) => expect(why(href, more)).toBe(reason))

  test('is any that holds a trap, wherever it stands among harmless parts', () => {
    const harmless = fc.constantFrom('a', 'stories', 'north-quay', '2026', 'p')
    const trap = fc.constantFrom('logout', 'sign-out', 'delete', 'basket', 'unsubscribe', 'cart')
    const place = fc.constantFrom('path', 'value', 'name')
    fc.assert(
      fc.property(fc.array(harmless, { maxLength: 4 }), trap, place, fc.nat(4), (parts, word, where, at) => {
        const path = where === 'path' ? [...parts.slice(0, at), word, ...parts.slice(at)] : parts
        const query = where === 'path' ? '' : where === 'value' ? `?q=${word}` : `?${word}=1`
        expect(why(`/${path.join('/')}${query}`)).toBeDefined()
      }),
    )
  })
})
