import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { S3Fifo } from './s3-fifo.ts'

const queue = (most: number) => {
  const gone: string[] = []
  return { gone, held: new S3Fifo<string>(most, (id) => gone.push(id)) }
}

describe('when room is short', () => {
  test('popular items outlive a flood of items that nobody asks for again', () => {
    const { held } = queue(1000)
    const popular = Array.from({ length: 50 }, (_, i) => `page ${i}`)
    for (const id of popular) {
      held.set(id, id, 10)
      held.get(id)
    }
    for (let i = 0; i < 10_000; i++) {
      held.set(`?made-up=${i}`, '', 10)
      // Somebody reads a page now and then.
      if (i % 10 === 0) held.get(popular[(i / 10) % popular.length]!)
    }
    expect(popular.filter((id) => held.peek(id) !== undefined)).toEqual(popular)
  })
  test('a newcomer that leaves and comes back is believed', () => {
    const { held } = queue(100)
    held.set('a', 'a', 10)
    for (let i = 0; i < 20; i++) held.set(`x${i}`, '', 10)
    expect(held.peek('a')).toBeUndefined()
    held.set('a', 'a', 10)
    for (let i = 20; i < 25; i++) held.set(`x${i}`, '', 10)
    expect(held.peek('a')).toBe('a')
  })
  test('what nobody asks for any more leaves the main queue in the end', () => {
    const { held } = queue(100)
    held.set('old', 'old', 10)
    held.get('old')
    for (let i = 0; i < 40; i++) {
      held.set(`y${i}`, '', 10)
      held.get(`y${i}`)
    }
    expect(held.peek('old')).toBeUndefined()
  })
  test('an item larger than all the room does not stay, and the others are told of', () => {
    const { held, gone } = queue(100)
    held.set('a', 'a', 60)
    held.set('huge', '', 500)
    expect(held.peek('huge')).toBeUndefined()
    expect(held.bytes).toBeLessThanOrEqual(100)
    expect(gone).toContain('huge')
  })
})

test('generated use: never more bytes than allowed, the sum is right, and every item is held or was told of', () => {
  const step = fc.oneof(
    fc.record({ kind: fc.constant('set' as const), id: fc.nat(30), bytes: fc.integer({ min: 1, max: 60 }) }),
    fc.record({ kind: fc.constantFrom('get', 'delete'), id: fc.nat(30), bytes: fc.constant(0) }),
  )
  fc.assert(
    fc.property(fc.array(step, { maxLength: 200 }), (steps) => {
      const sizes = new Map<string, number>()
      const held = new S3Fifo<number>(200, (id) => sizes.delete(id))
      for (const { kind, id, bytes } of steps) {
        const name = String(id)
        if (kind === 'set') {
          sizes.set(name, bytes)
          held.set(name, bytes, bytes)
        } else if (kind === 'get') expect(held.get(name)).toBe(sizes.get(name))
        else expect(held.delete(name)).toBe(sizes.delete(name))
        const sum = [...sizes.values()].reduce((all, one) => all + one, 0)
        expect([held.bytes, held.size]).toEqual([sum, sizes.size])
        expect(sum).toBeLessThanOrEqual(200)
      }
    }),
    { numRuns: 300 },
  )
})
