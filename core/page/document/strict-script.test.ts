import { describe, expect, test } from 'vitest'
import { isStrict } from './strict-script.ts'

describe('a script runs in strict mode (ECMA-262 §11.2.1)', () => {
  test.each([
    ['by its first statement', '"use strict"; f()', true],
    ['in single quotes, without a semicolon', "'use strict'\nf()", true],
    ['at its very end', '"use strict"', true],
    ['after comments', '/* a */ // b\n/** c */\n"use strict";', true],
    ['after another directive', '"use client"; "use strict"; f()', true],
    ['not in a function of it', '(function () { "use strict" })()', false],
    ['with a comment behind it', '"use strict" // as all of ours\nf()', true],
    ['after a directive with a quote in it', "'it\\'s'; 'use strict'", true],
    ['also where the literal goes on: nothing is lost by keeping it apart', '"use strict" + f()', true],
    ['not behind another literal that goes on', '"a" + "use strict"', false],
    ['not when it is a comment', '// "use strict"\nf()', false],
    ['not after a statement', 'f(); "use strict"', false],
    ['not when it is written otherwise', '"use\\x20strict"; f()', false],
    ['not when nothing follows', '/* a comment without an end', false],
    ['not when it is empty', '', false],
  ])('%s: %s', (_what, script, strict) => expect(isStrict(script)).toBe(strict))
  test('thousands of comments before and behind the first statement are read once', () => {
    const comments = '/* a quay */\n// a ferry\n'.repeat(5000)
    expect(isStrict(`${comments}f()\n${comments}`)).toBe(false)
    expect(isStrict(`${comments}'use strict'\n${comments}`)).toBe(true)
  })
})
