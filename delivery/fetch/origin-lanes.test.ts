import { expect, test } from 'vitest'
import { OriginLanes, type LaneLimits } from './origin-lanes.ts'

const LIMITS: LaneLimits = {
  atOnce: { page: 2, upload: 1, upgrade: 1, background: 1 },
  lasting: 1,
  waiting: 2,
  waitMs: 60_000,
  quietMs: 60_000,
  ofOne: { atOnce: 1, lasting: 1, waiting: 1 },
}
const entered = async (promise: Promise<unknown>): Promise<boolean> => {
  let done = false
  promise.then(() => (done = true)).catch(() => undefined)
  await new Promise(setImmediate)
  return done
}

test('room that is given back goes to whoever has waited longest', async () => {
  const lanes = new OriginLanes(LIMITS)
  const [first] = [await lanes.enter('s', 'page'), await lanes.enter('s', 'page')]
  const [third, fourth] = [lanes.enter('s', 'page'), lanes.enter('s', 'page')]
  expect(await entered(third)).toBe(false)
  first.release()
  first.release()
  expect([await entered(third), await entered(fourth)]).toEqual([true, false])
})
test('a site, and uploads, never wait for another', async () => {
  const lanes = new OriginLanes(LIMITS)
  await Promise.all([lanes.enter('s', 'page'), lanes.enter('s', 'page')])
  expect(await entered(lanes.enter('t', 'page'))).toBe(true)
  expect(await entered(lanes.enter('s', 'upload'))).toBe(true)
})
test('whoever finds the queue full, or waits too long, is told that the origin is busy', async () => {
  const lanes = new OriginLanes({ ...LIMITS, waitMs: 1 })
  await Promise.all([lanes.enter('s', 'page'), lanes.enter('s', 'page')])
  const waiting = [lanes.enter('s', 'page'), lanes.enter('s', 'page')].map((one) => one.catch((e) => e.kind))
  await expect(lanes.enter('s', 'page')).rejects.toMatchObject({ kind: 'busy' })
  expect(await Promise.all(waiting)).toEqual(['busy', 'busy'])
})
test('a visitor who goes away leaves the queue', async () => {
  const lanes = new OriginLanes(LIMITS)
  const first = await lanes.enter('s', 'page')
  await lanes.enter('s', 'page')
  const gone = new AbortController()
  const left = lanes.enter('s', 'page', { signal: gone.signal })
  const next = lanes.enter('s', 'page')
  gone.abort()
  await expect(left).rejects.toMatchObject({ kind: 'busy' })
  first.release()
  expect(await entered(next)).toBe(true)
})
test('an answer that lasts makes room, as many as there may be', async () => {
  const lanes = new OriginLanes(LIMITS)
  const [one, two] = [await lanes.enter('s', 'page'), await lanes.enter('s', 'page')]
  expect(one.lasts()).toBe('moved')
  expect(await entered(lanes.enter('s', 'page'))).toBe(true)
  expect(two.lasts()).toBe('no-room')
  const fourth = lanes.enter('s', 'page')
  expect(await entered(fourth)).toBe(false)
  one.release()
  expect(two.lasts()).toBe('moved')
  expect(await entered(fourth)).toBe(true)
})

/** As many of each as the product has. */
const take = (lanes: OriginLanes, times: number, address: string) =>
  Promise.all(Array.from({ length: times }, () => lanes.enter('s', 'page', { address })))

test('one address takes half of the room for pages, and those who wait from others go first', async () => {
  const lanes = new OriginLanes()
  const [first] = await take(lanes, 32, '192.0.2.1')
  const greedy = Array.from({ length: 128 }, () => lanes.enter('s', 'page', { address: '192.0.2.1' }))
  // Most of them wait in vain, which shows long after this test has ended.
  for (const one of greedy) one.catch(() => undefined)
  await expect(lanes.enter('s', 'page', { address: '192.0.2.1' })).rejects.toMatchObject({ kind: 'busy' })
  expect(await entered(greedy[0]!)).toBe(false)
  await take(lanes, 32, '192.0.2.2')
  const other = lanes.enter('s', 'page', { address: '192.0.2.3' })
  expect(await entered(other)).toBe(false)
  first!.release()
  expect([await entered(greedy[0]!), await entered(other)]).toEqual([true, false])
  for (const slot of [await greedy[0]!]) slot.release()
  expect(await entered(greedy[1]!)).toBe(true)
})

test('one address holds a quarter of the answers that last', async () => {
  const lanes = new OriginLanes()
  const outcomes: string[] = []
  for (let i = 0; i < 260; i++) {
    const slot = await lanes.enter('s', 'page', { address: '192.0.2.1' })
    outcomes.push(slot.lasts())
    if (outcomes.at(-1) === 'no-room') slot.release()
  }
  expect(outcomes.filter((one) => one === 'moved')).toHaveLength(250)
  const [another] = await take(lanes, 1, '192.0.2.2')
  expect(another!.lasts()).toBe('moved')
})

test('work that nobody waits for lets visitors’ pages go first', async () => {
  const lanes = new OriginLanes(LIMITS)
  expect(await entered(lanes.whenQuiet('s'))).toBe(true)
  const [one, other] = [await lanes.enter('s', 'page'), await lanes.enter('s', 'page')]
  const quiet = lanes.whenQuiet('s')
  expect(await entered(lanes.whenQuiet('t'))).toBe(true)
  one.release()
  expect(await entered(quiet)).toBe(false)
  other.release()
  expect(await entered(quiet)).toBe(true)
})
test('on a busy site it goes on after a while all the same', async () => {
  const lanes = new OriginLanes({ ...LIMITS, quietMs: 1 })
  await lanes.enter('s', 'page')
  await lanes.whenQuiet('s')
  expect(await entered(lanes.enter('s', 'background'))).toBe(true)
})
