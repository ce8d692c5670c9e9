import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { ObjectsGroup } from '../contracts/objects.ts'
import { globMatches } from './glob.ts'
import { groupAdvice } from './group-advice.ts'
import { groupPrefix } from './key-prefix.ts'

const aGroup = (facts: Partial<ObjectsGroup>): ObjectsGroup => ({
  prefix: 'session:',
  entries: 0,
  bytes: 0,
  unread: 0,
  unreadBytes: 0,
  medianAgeS: 3600,
  hits: 0,
  misses: 0,
  writes: 0,
  evictedUnread: 0,
  ...facts,
})

describe('groups of keys', () => {
  test.each([
    ['session:9f86d081884c7d65', 'session:'],
    ['shop:posts:42', 'shop:posts:'],
    ['shop:posts:42:meta', 'shop:posts:'],
    ['orrin|options|all', 'orrin|options|'],
    ['post_42', 'post_'],
    ['42', '42'],
    ['title', 'title'],
    ['7:title', '7:'],
    ['a/b/c/d', 'a/b/'],
  ])('%s is one of %s', (key, prefix) => expect(groupPrefix(Buffer.from(key))).toBe(prefix))

  test('whatever the bytes, a key begins with the name of its group', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) =>
        Buffer.from(bytes).toString('latin1').startsWith(groupPrefix(bytes)),
      ),
    )
  })

  test.each([
    [
      'never-read',
      { entries: 1900, unread: 1900, unreadBytes: 400, writes: 1900 },
      '1,900 entries of "session:" were never read; they take 40% of the memory.',
    ],
    [
      'lost-before-read',
      { entries: 100, writes: 1000, evictedUnread: 880 },
      '880 entries of "session:" were thrown out before anybody read them.',
    ],
    [
      'changed-on-every-read',
      { entries: 10, hits: 100, misses: 5, writes: 101 },
      'written about as often as they are read (101 and 105 times)',
    ],
    ['never-found', { hits: 0, misses: 300, writes: 0 }, '"session:" was asked for 300 times and hardly ever stored'],
  ])('that are %s are told', (kind, facts, sentence) => {
    const [advice] = groupAdvice([aGroup(facts)], 1000)
    expect(advice?.kind).toBe(kind)
    expect(advice?.sentence).toContain(sentence)
  })
  test.each([
    ['young', { entries: 1900, unread: 1900, unreadBytes: 400, writes: 1900, medianAgeS: 5 }],
    ['small', { entries: 30, unread: 30, unreadBytes: 10, writes: 30 }],
    ['well used', { entries: 100, bytes: 900, hits: 5000, misses: 100, writes: 100 }],
  ])('that are %s are not', (_what, facts) => expect(groupAdvice([aGroup(facts)], 1000)).toEqual([]))
})

describe('patterns of keys', () => {
  test('of many stars take no longer than the text and the pattern times each other', () => {
    expect(globMatches('*a'.repeat(50) + 'b', 'a'.repeat(5000))).toBe(false)
  })
})
