import { afterEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { purge } from '../purge/purge.ts'

let bench: DeliveryBench
afterEach(() => bench.close())

/** An origin whose answers wait until the test lets them go. */
const held = () => {
  const waiting: (() => void)[] = []
  const answer = (text: string, headers: Record<string, string> = {}): void => {
    bench.handler = (_req, res) =>
      void waiting.push(() => res.writeHead(200, { 'content-type': 'text/html', ...headers }).end(text))
  }
  const release = (): void => waiting.splice(0).forEach((send) => send())
  return { answer, release, waiting }
}
const ask = (times: number, path = '/') => Array.from({ length: times }, () => bench.ask(path))

describe('requests for one address while its answer is under way (RFC 9211 §2.6)', () => {
  test('wait for the first one and share it; the origin is asked once', async () => {
    bench = await DeliveryBench.open()
    const origin = held()
    origin.answer('page')
    const visits = ask(20)
    await expect.poll(() => [bench.arrived, origin.waiting.length]).toEqual([20, 1])
    origin.release()
    const answers = await Promise.all(visits)
    expect(bench.asked.length).toBe(1)
    expect(answers.every(({ body }) => body.toString() === 'page')).toBe(true)
    const collapsed = answers.filter(({ cacheStatus }) =>
      /^zest-lamp; fwd=uri-miss; collapsed; ttl=\d+$/.test(cacheStatus),
    )
    expect(collapsed.length).toBe(19)
  })

  test('do not share what may not be shared, and are not made to wait a second time', async () => {
    bench = await DeliveryBench.open()
    const origin = held()
    origin.answer('mine', { 'cache-control': 'private' })
    const visits = ask(5)
    await expect.poll(() => [bench.arrived, origin.waiting.length]).toEqual([5, 1])
    origin.release()
    await expect.poll(() => origin.waiting.length).toBe(4)
    origin.release()
    expect((await Promise.all(visits)).some(({ cacheStatus }) => cacheStatus.includes('collapsed'))).toBe(false)
    const again = ask(3)
    await expect.poll(() => origin.waiting.length).toBe(3)
    origin.release()
    await Promise.all(again)
  })

  test('do not wait for an answer that a purge has overtaken', async () => {
    bench = await DeliveryBench.open()
    const origin = held()
    origin.answer('old')
    const [before] = ask(1)
    await expect.poll(() => origin.waiting.length).toBe(1)
    await purge({ siteId: 's', what: { kind: 'everything' }, manner: 'hard' }, bench.io)
    const oldOne = origin.waiting.splice(0)
    origin.answer('new')
    const [after] = ask(1)
    await expect.poll(() => origin.waiting.length).toBe(1)
    origin.release()
    expect((await after!).body.toString()).toBe('new')
    oldOne.forEach((send) => send())
    expect((await before!).body.toString()).toBe('old')
    expect((await bench.ask('/')).body.toString()).toBe('new')
  })

  test('with other fields that Vary names ask for themselves', async () => {
    bench = await DeliveryBench.open()
    const waiting: (() => void)[] = []
    bench.handler = (req, res) =>
      void waiting.push(() =>
        res
          .writeHead(200, { 'content-type': 'text/html', vary: 'accept-language' })
          .end(req.headers['accept-language']),
      )
    const visits = ['en', 'nn', 'en'].map((language) => bench.ask('/', { headers: { 'accept-language': language } }))
    await expect.poll(() => [bench.arrived, waiting.length]).toEqual([3, 1])
    waiting.splice(0).forEach((send) => send())
    // The answer names a field that the origin was not told: it is asked for once more with it, and then for the other language.
    for (let i = 0; i < 2; i++) {
      await expect.poll(() => waiting.length).toBe(1)
      waiting.splice(0).forEach((send) => send())
    }
    expect((await Promise.all(visits)).map(({ body }) => body.toString())).toEqual(['en', 'nn', 'en'])
    expect(bench.asked.map(({ headers }) => headers['accept-language'])).toEqual([undefined, 'en', 'nn'])
  })

  test('are not taken down by one that fails: another asks, and the rest wait for that one', async () => {
    bench = await DeliveryBench.open()
    const waiting: { fail: () => void; succeed: () => void }[] = []
    bench.handler = (_req, res) =>
      void waiting.push({
        fail: () => res.destroy(),
        succeed: () => res.writeHead(200, { 'content-type': 'text/html' }).end('page'),
      })
    const visits = ask(6)
    await expect.poll(() => [bench.arrived, waiting.length]).toEqual([6, 1])
    // Asked, and once more because it was safe to; both broken off.
    for (let i = 0; i < 2; i++) {
      await expect.poll(() => waiting.length).toBe(1)
      waiting.pop()!.fail()
    }
    await expect.poll(() => waiting.length).toBe(1)
    waiting.pop()!.succeed()
    const statuses = (await Promise.all(visits)).map(({ status }) => status)
    expect(statuses.sort()).toEqual([200, 200, 200, 200, 200, 502])
    expect(bench.asked.length).toBe(3)
  })

  test('share a failure that lasts: an origin that is down is not asked by everybody', async () => {
    bench = await DeliveryBench.open()
    const waiting: (() => void)[] = []
    bench.handler = (_req, res) => void waiting.push(() => res.destroy())
    const visits = ask(6)
    await expect.poll(() => [bench.arrived, waiting.length]).toEqual([6, 1])
    for (let i = 0; i < 4; i++) {
      await expect.poll(() => waiting.length).toBe(1)
      waiting.splice(0).forEach((cut) => cut())
    }
    expect((await Promise.all(visits)).map(({ status }) => status)).toEqual(Array(6).fill(502))
    expect(bench.asked.length).toBe(4)
  })

  test('do not wait for one that is slow beyond measure: one of them asks too, and is waited for', async () => {
    bench = await DeliveryBench.open()
    bench.use(setupWith({ pageCache: {} }), { timeoutMs: 30_000 })
    const waiting: (() => void)[] = []
    bench.handler = (_req, res) =>
      void waiting.push(() => void res.writeHead(200, { 'content-type': 'text/html' }).end('page'))
    const visits = ask(4)
    await expect.poll(() => [bench.arrived, waiting.length]).toEqual([4, 1])
    const slow = waiting.pop()!
    await expect.poll(() => waiting.length, { timeout: 15_000 }).toBe(1)
    waiting.pop()!()
    const others = await Promise.all(visits.slice(1))
    expect(others.map(({ status }) => status)).toEqual([200, 200, 200])
    expect(bench.asked.length).toBe(2)
    slow()
    expect((await visits[0]!).status).toBe(200)
  })
})
