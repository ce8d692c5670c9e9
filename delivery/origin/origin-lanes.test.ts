import { expect, test } from 'vitest'
import { OriginLanes, type LaneLimits } from './origin-lanes.ts'

const LIMITS: LaneLimits = {
  atOnce: { page: 2, upload: 1, upgrade: 1 },
  lasting: 1,
  waiting: 2,
  waitMs: 60_000,
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
  const left = lanes.enter('s', 'page', gone.signal)
  const next = lanes.enter('s', 'page')
  gone.abort()
  await expect(left).rejects.toMatchObject({ kind: 'busy' })
  first.release()
  expect(await entered(next)).toBe(true)
})
test('an answer that lasts makes room, as many as there may be', async () => {
  const lanes = new OriginLanes(LIMITS)
  const [one, two] = [await lanes.enter('s', 'page'), await lanes.enter('s', 'page')]
  one.lasts()
  expect(await entered(lanes.enter('s', 'page'))).toBe(true)
  two.lasts()
  const fourth = lanes.enter('s', 'page')
  expect(await entered(fourth)).toBe(false)
  one.release()
  two.lasts()
  expect(await entered(fourth)).toBe(true)
})
