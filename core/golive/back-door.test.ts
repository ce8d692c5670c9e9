import { describe, expect, test } from 'vitest'
import { addressRules, backDoorStep, keyRules, type Door } from './back-door.ts'

const open: Door = {
  address: 'http://origin.example',
  asAnybody: { kind: 'answered' },
  withKey: undefined,
  twoAddresses: false,
}
const refused = { kind: 'refused', status: 403 } as const
const answered = { kind: 'answered' } as const
const silent = { kind: 'silent' } as const

describe('the back door', () => {
  test.each<[string, boolean, Partial<Door>, string, RegExp]>([
    ['stands open', false, {}, 'open', /can bypass Zest Lamp/],
    ['is closed by the owner’s word', true, {}, 'done', /You have said/],
    ['is not closed where search engines find two addresses', true, { twoAddresses: true }, 'open', /You have said/],
    ['cannot be looked at while the server is silent', false, { asAnybody: silent }, 'open', /Check again/],
    [
      'is not known to be closed where a server refuses without a key',
      false,
      { asAnybody: refused },
      'open',
      /Check again/,
    ],
    ['is closed by the key', false, { asAnybody: refused, withKey: answered }, 'done', /others get status 403/],
    ['stands open while nobody asks for the key', false, { withKey: answered }, 'open', /answers without it too/],
    ['may be closed by addresses as well', true, { withKey: answered }, 'done', /You have said/],
    ['is closed to Zest Lamp too', true, { asAnybody: refused, withKey: refused }, 'problem', /Compare the key/],
    [
      'with a key, cannot be looked at while silent',
      false,
      { asAnybody: silent, withKey: silent },
      'open',
      /Check again/,
    ],
  ])('%s', (_what, closedByHand, more, state, sentence) => {
    const step = backDoorStep(closedByHand, { ...open, ...more })
    expect([step.state, step.sentence]).toEqual([state, expect.stringMatching(sentence)])
    expect(step.evidence).toHaveLength(more.twoAddresses === true ? 1 : 0)
  })
  test('rules name the addresses of Zest Lamp, or the key', () => {
    expect(addressRules(['192.0.2.7', '2001:db8::7'])).toEqual({
      nginx: 'allow 192.0.2.7;\nallow 2001:db8::7;\nallow 127.0.0.1;\ndeny all;',
      apache: '<RequireAny>\n  Require ip 192.0.2.7\n  Require ip 2001:db8::7\n  Require local\n</RequireAny>',
    })
    expect(keyRules('a-key_1')).toEqual({
      nginx: 'if ($http_zest_origin_key != "a-key_1") {\n  return 403;\n}',
      apache: `Require expr "%{HTTP:zest-origin-key} == 'a-key_1'"`,
    })
  })
})
