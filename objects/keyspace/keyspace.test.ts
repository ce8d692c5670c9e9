import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { randomFrom } from '../../core/stats/random.ts'
import { NONE } from './entry-table.ts'
import { memberBytes, ValueTooLarge } from './bounds.ts'
import { Keyspace, type Gone } from './keyspace.ts'

const MIB = 1024 * 1024
const bytes = (text: string): Buffer => Buffer.from(text, 'latin1')

const aKeyspace = (memory = 8 * MIB, lifetimeMs?: number, packFromBytes?: number) => {
  const clock = { now: 1_000_000 }
  const gone: [string, Gone][] = []
  const keys: Keyspace = new Keyspace(
    { bytes: memory, largestValueBytes: MIB, lifetimeMs, packFromBytes },
    () => clock.now,
    7,
    {
      onWritten: () => undefined,
      onGone: (entry, why) => gone.push([keys.keyOf(entry).toString('latin1'), why]),
    },
  )
  const set = (key: string, value: string, expiresAt = 0): number =>
    keys.setString(0, bytes(key), bytes(value), expiresAt)
  const get = (key: string): string | undefined => {
    const entry = keys.find(0, bytes(key))
    if (entry === NONE) return undefined
    keys.read(entry)
    return keys.stringOf(entry).toString('latin1')
  }
  return { keys, clock, gone, set, get }
}

describe('keys and values', () => {
  test('are those that were stored last, however often they are overwritten, deleted and moved', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            key: fc.integer({ min: 0, max: 300 }).map((one) => `key:${one}`),
            length: fc.oneof(fc.integer({ min: 0, max: 200 }), fc.integer({ min: 3000, max: 9000 })),
            remove: fc.integer({ min: 0, max: 9 }).map((one) => one === 0),
          }),
          { minLength: 200, maxLength: 4000, size: 'max' },
        ),
        (steps) => {
          const { keys, set, get } = aKeyspace()
          const model = new Map<string, string>()
          for (const [at, { key, length, remove }] of steps.entries()) {
            const entry = keys.find(0, bytes(key))
            if (remove && entry !== NONE) keys.delete(entry)
            else set(key, `${at}`.padEnd(length, '.'))
            if (remove && entry !== NONE) model.delete(key)
            else model.set(key, `${at}`.padEnd(length, '.'))
          }
          expect(keys.size).toBe(model.size)
          for (const [key, value] of model) expect(get(key)).toBe(value)
        },
      ),
      { numRuns: 30 },
    )
  })
  test('are found after millions of bytes have gone through a few', () => {
    const { set, get, keys } = aKeyspace()
    set('stays', 'x'.repeat(500))
    for (let at = 0; at < 60_000; at++) {
      set(`goes:${at % 1000}`, `${at}`.padEnd(400, '-'))
      if (at % 500 === 0) expect(get('stays')).toBe('x'.repeat(500))
    }
    expect(keys.evictions).toBe(0)
    expect(get('goes:999')?.startsWith('59999-')).toBe(true)
  })
  test.each([
    [1, undefined],
    [2, undefined],
    [3, undefined],
    [4, 1000],
    [5, 1000],
  ])(
    'are whole or gone where memory is short, whatever leaves, moves and is bounded again (%i, packed from %s)',
    (seed, packFromBytes) => {
      const { keys, set, get } = aKeyspace(4 * MIB, undefined, packFromBytes)
      const random = randomFrom(seed)
      // It hardly shrinks, so that memory stays short.
      const noise = Array.from({ length: 10_000 }, () => random().toString(36).slice(2, 12)).join('')
      const model = new Map<string, string>()
      const wrong: string[] = []
      for (let at = 0; at < 30_000; at++) {
        const key = `key:${Math.floor(15_000 * random() ** 3)}`
        const what = random()
        if (what < 0.4) {
          const found = keys.typeOf(Math.max(0, keys.find(0, bytes(key)))) === 'string' ? get(key) : undefined
          if (found !== undefined && found !== model.get(key)) wrong.push(key)
        } else if (what < 0.5) {
          const entry = keys.find(0, bytes(key))
          if (entry !== NONE) keys.delete(entry)
          model.delete(key)
        } else if (what < 0.51) {
          const group = keys.find(0, bytes(`group:${at % 50}`))
          const entry = group === NONE ? keys.addGroup(0, bytes(`group:${at % 50}`), 'set') : group
          keys.setOf(entry).add(`m${at}`)
          keys.groupChanged(entry, memberBytes(`m${at}`))
        } else if (what < 0.5105)
          keys.setBounds({
            bytes: (4 + Math.floor(random() * 8)) * MIB,
            largestValueBytes: MIB,
            lifetimeMs: undefined,
            packFromBytes,
          })
        else {
          const from = Math.floor(random() * 90_000)
          const value = `${at}${noise.slice(from, from + 300 + random() * 6000)}`
          set(key, value)
          model.set(key, value)
        }
        if (keys.bytes > keys.bounds.bytes) wrong.push(`${keys.bytes} bytes`)
      }
      for (let entry = 0; entry < keys.numbers; entry++) {
        if (!keys.isLive(entry) || keys.typeOf(entry) !== 'string') continue
        const key = keys.keyOf(entry).toString('latin1')
        if (keys.find(0, bytes(key)) !== entry || keys.stringOf(entry).toString('latin1') !== model.get(key))
          wrong.push(key)
      }
      expect(wrong).toEqual([])
      expect(keys.evictions).toBeGreaterThan(1000)
    },
  )
  test('are packed from a size on where that saves memory, and read as they were stored', () => {
    const [plain, small] = [aKeyspace(8 * MIB), aKeyspace(8 * MIB, undefined, 1000)]
    const random = randomFrom(3)
    const values = {
      short: 'quay '.repeat(100),
      long: 'quay '.repeat(2000),
      large: 'quay '.repeat(100_000),
      noise: Buffer.from(Array.from({ length: 3000 }, () => Math.floor(256 * random()))).toString('latin1'),
    }
    for (const [key, value] of Object.entries(values))
      for (const one of [plain, small]) {
        one.set(key, value)
        expect(one.get(key)).toBe(value)
      }
    const sizeIn = ({ keys }: typeof plain, key: string): number => keys.sizeOf(keys.find(0, bytes(key)))
    expect(sizeIn(small, 'short')).toBe(sizeIn(plain, 'short'))
    for (const key of ['long', 'large']) expect(sizeIn(small, key)).toBeLessThan(sizeIn(plain, key) / 10)
    expect(small.keys.bytes).toBeLessThan(plain.keys.bytes)
  })
  test('of one database are not those of another', () => {
    const { keys, set, get } = aKeyspace()
    set('a', 'first')
    keys.setString(1, bytes('a'), bytes('second'), 0)
    expect([get('a'), keys.count(0), keys.count(1)]).toEqual(['first', 1, 1])
    keys.clear(1)
    expect([get('a'), keys.count(0), keys.count(1)]).toEqual(['first', 1, 0])
  })
})

describe('memory', () => {
  test.each([4, 8, 32])('stays within %i MB through a flood of keys of every size, groups included', (megabytes) => {
    const { keys, set } = aKeyspace(megabytes * MIB)
    const random = randomFrom(1)
    let most = 0
    for (let at = 0; at < 60_000; at++) {
      const size = random() < 0.02 ? random() * 200_000 : random() * 600
      set(`flood:${at}`, 'x'.repeat(size))
      if (at % 10 === 0) {
        const entry = keys.addGroup(0, bytes(`group:${at}`), 'set')
        const member = 'm'.repeat(random() * 3000)
        keys.setOf(entry).add(member)
        keys.groupChanged(entry, memberBytes(member))
      }
      most = Math.max(most, keys.bytes)
    }
    expect(keys.evictions).toBeGreaterThan(1000)
    expect(most).toBeLessThanOrEqual(megabytes * MIB)
    expect(keys.bytes).toBeGreaterThan(0.5 * megabytes * MIB)
  })
  test('what is asked for stays while others are never read', () => {
    const { set, get } = aKeyspace()
    for (let at = 0; at < 1000; at++) set(`popular:${at}`, 'x'.repeat(1000))
    for (let at = 0; at < 1000; at++) get(`popular:${at}`)
    let hits = 0
    let asked = 0
    for (let at = 0; at < 100_000; at++) {
      set(`once:${at}`, 'x'.repeat(1000))
      if (at % 10 !== 0) continue
      const key = `popular:${(at / 10) % 1000}`
      asked++
      if (get(key) === undefined) set(key, 'x'.repeat(1000))
      else hits++
    }
    expect(hits / asked).toBeGreaterThan(0.95)
  })
  test('is given back when the owner lowers the bound', () => {
    const { keys, set } = aKeyspace(32 * MIB)
    for (let at = 0; at < 40_000; at++) set(`key:${at}`, 'x'.repeat(500))
    keys.setBounds({ bytes: 8 * MIB, largestValueBytes: MIB, lifetimeMs: undefined })
    expect(keys.bytes).toBeLessThanOrEqual(8 * MIB)
    expect(keys.size).toBeGreaterThan(2000)
  })
  test('a value above the bound is refused, and the old one stays', () => {
    const { set, get } = aKeyspace()
    set('a', 'small')
    expect(() => set('a', 'x'.repeat(2 * MIB))).toThrow(ValueTooLarge)
    expect(() => set('k'.repeat(100_000), '')).toThrow(/key is longer/)
    expect(get('a')).toBe('small')
  })
})

describe('time', () => {
  test('an entry is there until its time, and not at it', () => {
    const { clock, set, get, gone } = aKeyspace()
    set('a', 'x', clock.now + 1000)
    clock.now += 999
    expect(get('a')).toBe('x')
    clock.now += 1
    expect(get('a')).toBeUndefined()
    expect(gone).toEqual([['a', 'expired']])
  })
  test('what has run out leaves although nobody asks for it', () => {
    const { clock, keys, set } = aKeyspace()
    for (let at = 0; at < 5000; at++) set(`key:${at}`, 'x', clock.now + 1000)
    set('stays', 'x')
    clock.now += 1000
    for (let step = 0; step < 10; step++) keys.sweep()
    expect([keys.size, keys.expirations]).toEqual([1, 5000])
  })
  test('nothing is kept longer than the owner allows', () => {
    const { clock, keys, set } = aKeyspace(8 * MIB, 60_000)
    const [forever, long, short] = [set('a', 'x'), set('b', 'x', clock.now + 90_000), set('c', 'x', clock.now + 5000)]
    expect([forever, long, short].map((entry) => keys.expiryOf(entry) - clock.now)).toEqual([60_000, 60_000, 5000])
  })
})
