import { describe, expect, test } from 'vitest'
import { epochMs, seconds } from '../time.ts'
import type { Fields } from './fields.ts'
import { NOT_STORED, type NotStoredReason } from './reasons.ts'
import { decideStoring } from './storing.ts'

const T = epochMs(Date.UTC(2026, 10, 24, 12))
const OWNER = { pages: seconds(600), api: seconds(0), files: seconds(600) }
const NOBODY = { pages: seconds(0), api: seconds(0), files: seconds(0) }
const HTML: Fields = [['content-type', 'text/html']]

const decide = (response: Fields, { request = [] as Fields, status = 200, method = 'GET', owner = OWNER } = {}) =>
  decideStoring({ method, fields: request }, { status, fields: response, responseTime: T }, owner)

describe('RFC 9111 §3, storing responses', () => {
  test('a page that says nothing is stored for the owner’s lifetime', () => {
    expect(decide(HTML)).toEqual({ kind: 'store' })
  })

  const auth: Fields = [['authorization', 'Bearer x']]
  test.each<[string, NotStoredReason, ReturnType<typeof decide>]>([
    ['§5.2.2.5', 'no-store', decide([...HTML, ['cache-control', 'no-store, public, max-age=60']])],
    ['§5.2.2.7', 'private', decide([...HTML, ['cache-control', 'private, max-age=60']])],
    ['§5.2.2.7, with field names: the safe side', 'private', decide([...HTML, ['cache-control', 'private="x"']])],
    ['§3.5', 'authorized', decide(HTML, { request: auth })],
    [
      'whatever the lifetime',
      'sets-cookie',
      decide([...HTML, ['set-cookie', 'a=1'], ['cache-control', 'public, max-age=9']]),
    ],
    ['§4.1', 'vary-star', decide([...HTML, ['vary', 'accept, *']])],
    ['§3.3', 'partial', decide(HTML, { status: 206 })],
    ['POST', 'method', decide(HTML, { method: 'POST' })],
    ['HEAD has no body to store', 'method', decide(HTML, { method: 'HEAD' })],
    ['a server error', 'status', decide([...HTML, ['cache-control', 'max-age=60']], { status: 500 })],
    ['an unknown status', 'status', decide([...HTML, ['cache-control', 'max-age=60']], { status: 299 })],
    ['302 without a lifetime (RFC 9110 §15.1)', 'status', decide(HTML, { status: 302 })],
    ['nothing gives a lifetime', 'no-lifetime', decide(HTML, { owner: NOBODY })],
    [
      'no-cache without a validator could never be used',
      'no-lifetime',
      decide([...HTML, ['cache-control', 'no-cache']]),
    ],
  ])('%s: %s', (_section, reason, decision) => {
    expect(decision).toEqual({ kind: 'not-stored', reason })
  })

  test.each(['public', 'must-revalidate', 's-maxage=60'])(
    '§3.5: %s lets an authorised answer be stored',
    (directive) => {
      expect(decide([...HTML, ['cache-control', directive]], { request: auth }).kind).toBe('store')
    },
  )
  test('no-cache with a validator is stored, to be checked each time', () => {
    expect(decide([...HTML, ['cache-control', 'no-cache'], ['etag', '"a"']]).kind).toBe('store')
  })
  test('302 with a lifetime is stored', () => {
    expect(decide([...HTML, ['cache-control', 'max-age=60']], { status: 302 }).kind).toBe('store')
  })
})

test('every reason has a sentence', () => {
  for (const sentence of Object.values(NOT_STORED)) expect(sentence).toMatch(/^[A-Z].*\.$/)
})
