import { describe, expect, test } from 'vitest'
import { hollow, withoutDescriptions } from './left-out.ts'

describe('parts of libraries that are left out', () => {
  test('leave every name that others import, and nothing behind it', () => {
    const code = hollow(
      'import x from "y"\nexport const a = 1\nexport function b() {}\nexport class C {}\nexport { d as e }\n',
    )
    expect(code).toBe('function none() { return none }\nexport { none as a, none as b, none as C, none as e }')
  })
})

describe('descriptions of schemas', () => {
  test.each([
    [`z.string().describe('A name').min(1)`, 'z.string().min(1)'],
    [`z.string().describe("It's here")`, 'z.string()'],
    ['z.int().describe(`One\\`s`)', 'z.int()'],
    [`z.int()\n    .describe(\n      'Long, (with) brackets',\n    )`, 'z.int()'],
    [`z.string().describe(text)`, 'z.string().describe(text)'],
  ])('%s becomes %s', (code, left) => expect(withoutDescriptions(code)).toBe(left))
})
