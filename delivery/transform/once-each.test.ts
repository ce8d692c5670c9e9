import fc from 'fast-check'
import { expect, test } from 'vitest'
import { OnceEach } from './once-each.ts'

const text = (length: number) => (): Promise<string> => Promise.resolve('x'.repeat(length))

test('a result is made once, also for those who ask while it is made', async () => {
  const once = new OnceEach<string>(100_000, ({ length }) => length)
  let made = 0
  const make = (): Promise<string> => Promise.resolve(`made ${++made}`)
  const both = await Promise.all([once.of('a', make), once.of('a', make)])
  expect([...both, await once.of('a', make)]).toEqual(['made 1', 'made 1', 'made 1'])
})

test('a failure is not remembered', async () => {
  const once = new OnceEach<string>(100_000, ({ length }) => length)
  await expect(once.of('a', () => Promise.reject(new Error('torn')))).rejects.toThrow('torn')
  expect(await once.of('a', text(3))).toBe('xxx')
})

test('results never take more than they may, however many and large they are', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(fc.integer({ min: 0, max: 30_000 }), { maxLength: 60 }), async (lengths) => {
      const once = new OnceEach<string>(50_000, ({ length }) => length)
      for (const [i, length] of lengths.entries()) {
        await once.of(`file ${i}`, text(length))
        expect(once.bytes).toBeLessThanOrEqual(50_000)
      }
    }),
  )
})

test('a result that is larger than all there may be is given, and not held', async () => {
  const once = new OnceEach<string>(10_000, ({ length }) => length)
  expect(await once.of('large', text(20_000))).toHaveLength(20_000)
  expect(once.bytes).toBe(0)
})
