import { describe, expect, test } from 'vitest'
import type { PrivacyVisitor } from '../contracts/privacy.ts'
import { judgePrivacy, type Observation } from './leak-verdict.ts'
import { pageValues } from './page-values.ts'

const HIT = 'zest-lamp; hit; ttl=9'
const PASSED = 'zest-lamp; fwd=bypass; detail=visitor-cookie'
const see = (
  visitor: PrivacyVisitor,
  direct: string,
  trial: string,
  more: { cacheStatus?: string; setCookies?: string[]; secrets?: string[]; again?: string } = {},
): Observation => ({
  path: '/',
  visitor,
  direct: { status: 200, body: direct },
  directAgain: more.again ?? direct,
  trial: { status: 200, body: trial, cacheStatus: more.cacheStatus ?? HIT, setCookies: more.setCookies ?? [] },
  secrets: more.secrets ?? [],
})
const page = (inner: string): string => `<!doctype html><body><h1>Timetable</h1>${inner}</body>`
const kinds = (observations: Observation[]): string[] => judgePrivacy(observations).map(({ kind }) => kind)

describe('what reaches another visitor', () => {
  test('a name: found, with both answers side by side', () => {
    const [leak] = judgePrivacy([
      see('signed in, first', page('Hello Annelies'), page('Hello Annelies'), { cacheStatus: PASSED }),
      see('signed out, first', page('Sign in'), page('Hello Annelies')),
    ])
    expect(leak).toMatchObject({ kind: 'personal-text', what: 'Annelies' })
    expect(leak!.owner.excerpt).toContain('Hello Annelies')
    expect(leak!.reached).toMatchObject({ visitor: 'signed out, first', cacheStatus: HIT })
  })
  test('a form token that is another one for each visitor', () => {
    const form = (token: string): string => page(`<form><input type=hidden name=nonce value="${token}"></form>`)
    expect(
      kinds([
        see('signed out, first', form('a1b2c3d4e5'), form('99aa88bb77'), {
          cacheStatus: 'zest-lamp; fwd=uri-miss; stored',
        }),
        see('signed out, second', form('f6a7b8c9d0'), form('99aa88bb77')),
      ]),
    ).toEqual(['shared-token'])
  })
  test('the value of a cookie', () => {
    expect(
      kinds([
        see('signed in, first', page('x'), page('x'), { cacheStatus: PASSED, secrets: ['s3cr3t-basket'] }),
        see('signed in, second', page('x'), page('basket s3cr3t-basket')),
      ]),
    ).toEqual(['secret'])
  })
  test('a cookie that a stored answer sets', () => {
    expect(kinds([see('signed out, first', page(''), page(''), { setCookies: ['sid=1; Path=/'] })])).toEqual(['cookie'])
  })
})

describe('what does not reach whom it belongs to', () => {
  const out = see('signed out, first', page('Sign in'), page('Sign in'))
  test('a member who gets the page of the guests has lost their name', () => {
    const [leak] = judgePrivacy([see('signed in, first', page('Hello Annelies'), page('Sign in')), out])
    expect(leak).toMatchObject({ kind: 'own-lost', what: 'Annelies' })
    expect(leak!.owner.excerpt).toContain('Hello Annelies')
    expect(leak!.reached).toMatchObject({ visitor: 'signed in, first', excerpt: 'Timetable Sign in' })
  })
  test('a field of their form, by its place', () => {
    const form = page('<form><input type=hidden name=nonce value="a1b2c3d4e5"></form>')
    expect(judgePrivacy([see('signed in, first', form, page('')), out])[0]).toMatchObject({
      kind: 'own-lost',
      what: 'hidden field "nonce"',
    })
  })
  test('what is new at each request is nobody’s', () => {
    expect(
      kinds([
        see('signed in, first', page('Served as 7f3a9c'), page('Served as 11bb22'), {
          again: page('Served as 0d4e5f'),
        }),
        out,
      ]),
    ).toEqual([])
  })
  test('a page that passed through is theirs whatever it shows', () => {
    expect(kinds([see('signed in, first', page('Hello Annelies'), page(''), { cacheStatus: PASSED }), out])).toEqual([])
  })
})

describe('what is not held against the store', () => {
  test('pages that are alike for everyone', () => {
    expect(
      kinds([see('signed in, first', page('x'), page('x')), see('signed out, first', page('x'), page('x'))]),
    ).toEqual([])
  })
  test('personal pages that passed through', () => {
    expect(
      kinds([
        see('signed in, first', page('Hello Annelies'), page('Hello Annelies'), { cacheStatus: PASSED }),
        see('signed in, second', page('Hello Bartholomew'), page('Hello Bartholomew'), { cacheStatus: PASSED }),
      ]),
    ).toEqual([])
  })
  test('a name that the origin shows to everyone', () => {
    const comment = page('A story by Annelies')
    expect(kinds([see('signed in, first', comment, comment), see('signed out, first', comment, comment)])).toEqual([])
  })
  test('a token that is the same for everybody at the origin', () => {
    const form = page('<input type=hidden name=form_id value="contact-form-12">')
    expect(kinds([see('signed out, first', form, form), see('signed out, second', form, form)])).toEqual([])
  })
})

test('tokens are found in hidden fields, meta elements, data attributes and scripts', () => {
  const { places } = pageValues(
    '<meta name=csrf content=aa11bb22><div data-user=u7><input type=hidden name=n value=v><script>window.x={"nonce":"zz99"}</script>',
  )
  expect([...places]).toEqual([
    ['meta element "csrf"', 'aa11bb22'],
    ['attribute data-user of <div>', 'u7'],
    ['hidden field "n"', 'v'],
    ['"nonce" in a script', 'zz99'],
  ])
})
