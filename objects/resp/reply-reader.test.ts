import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { isNothing, partsOf, ReplyReader, TOO_LARGE, type Frame } from './reply-reader.ts'

/** Examples of the protocol specification (RESP2 and RESP3, "RESP data types"), from memory. */
const EXAMPLES = [
  '+OK\r\n',
  "-ERR unknown command 'asdf'\r\n",
  ':-1000\r\n',
  '$5\r\nhello\r\n',
  '$0\r\n\r\n',
  '$-1\r\n',
  '*0\r\n',
  '*2\r\n$5\r\nhello\r\n$5\r\nworld\r\n',
  '*5\r\n:1\r\n:2\r\n:3\r\n:4\r\n$5\r\nhello\r\n',
  '*2\r\n*3\r\n:1\r\n:2\r\n:3\r\n*2\r\n+Hello\r\n-World\r\n',
  '*-1\r\n',
  '_\r\n',
  '#t\r\n',
  ',1.23\r\n',
  '(3492890328409238509324850943850943825024385\r\n',
  '!21\r\nSYNTAX invalid syntax\r\n',
  '=15\r\ntxt:Some string\r\n',
  '%2\r\n+first\r\n:1\r\n+second\r\n:2\r\n',
  '~3\r\n+a\r\n:1\r\n_\r\n',
  '|1\r\n+ttl\r\n:3600\r\n+OK\r\n',
  '*3\r\n:1\r\n|1\r\n+ttl\r\n:3600\r\n:3\r\n$4\r\n\r\n\r\n\r\n',
]

const read = (pieces: readonly Buffer[], mostBytes = 1_000_000): Frame[] => {
  const frames: Frame[] = []
  const reader = new ReplyReader(mostBytes, (frame) => frames.push(frame))
  for (const piece of pieces) reader.give(piece)
  return frames
}
const texts = (frames: readonly Frame[]): string[] =>
  frames.map((frame) => (frame === TOO_LARGE ? 'too large' : frame.toString('latin1')))

describe('replies', () => {
  test('are cut apart as they came, in whatever pieces', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom(...EXAMPLES), { maxLength: 20 }),
        fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1 }),
        (replies, steps) => {
          const all = Buffer.from(replies.join(''))
          const pieces: Buffer[] = []
          for (let at = 0, step = 0; at < all.length; step++) {
            const next = at + (steps[step % steps.length] ?? 1)
            pieces.push(all.subarray(at, next))
            at = next
          }
          expect(texts(read(pieces))).toEqual(replies)
        },
      ),
    )
  })
  test('that are too large are left out to their end, and the next one is read', () => {
    const large = `*2\r\n$4000\r\n${'x'.repeat(4000)}\r\n:1\r\n`
    const pieces = [...Buffer.from(`${large}+OK\r\n`)].map((byte) => Buffer.from([byte]))
    expect(texts(read(pieces, 1000))).toEqual(['too large', '+OK\r\n'])
  })
  test('that nobody asked for are no answers', () => {
    expect(texts(read([Buffer.from('>2\r\n+invalidate\r\n*1\r\n+a\r\n+OK\r\n')]))).toEqual(['+OK\r\n'])
  })
  test.each([['HTTP/1.1 400 Bad Request\r\n'], ['$x\r\n'], ['\r\n'], [`+${'x'.repeat(70_000)}`]])(
    '%j is no reply',
    (garbage) => {
      expect(() => read([Buffer.from(garbage)])).toThrow(/reply/)
    },
  )
})

test('a list is taken apart into its parts', () => {
  const parts = partsOf(Buffer.from('*3\r\n$1\r\na\r\n*2\r\n:1\r\n:2\r\n_\r\n'))
  expect(parts.map(String)).toEqual(['$1\r\na\r\n', '*2\r\n:1\r\n:2\r\n', '_\r\n'])
  expect(partsOf(Buffer.from('+OK\r\n'))).toEqual([])
})

test.each([
  ['$-1\r\n', true],
  ['*-1\r\n', true],
  ['_\r\n', true],
  ['*0\r\n', true],
  ['%0\r\n', true],
  ['*2\r\n$-1\r\n_\r\n', true],
  ['*2\r\n$-1\r\n$1\r\na\r\n', false],
  ['$0\r\n\r\n', false],
  [':0\r\n', false],
])('%j says nothing: %s', (frame, says) => {
  expect(isNothing(Buffer.from(frame))).toBe(says)
})
