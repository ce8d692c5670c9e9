import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { MOST_STRETCHES, STRETCH_MS } from '../../core/contracts/delivery.ts'
import { epochMs } from '../../core/time.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { Counters } from './counters.ts'
import { loadKept, saveKept } from '../../process/kept-file.ts'
import { KeptCounters } from './counters-file.ts'
import { Course } from './sums.ts'

const counted = { hit: true, cold: false, page: true, spared: false, bytes: 10, savedMs: 5 }

test.each([
  ['kept nowhere', { minify: {} }],
  ['kept', { pageCache: {}, minify: {} }],
])(
  'a page that is %s and takes longer to rewrite than its visitor waits goes out as it came, and is counted',
  async (_how, remedies) => {
    const bench = await DeliveryBench.open()
    try {
      bench.use(setupWith(remedies))
      bench.handler = (_req, res) => void res.writeHead(200, { 'content-type': 'text/html' }).end('<p>as  it  came</p>')
      let rewritten: () => void = () => undefined
      const late = new Promise<void>((resolve) => (rewritten = resolve))
      const { rewriter } = bench.io
      const rewrite = rewriter.rewrite.bind(rewriter)
      rewriter.rewrite = async (...order) => (await late, rewrite(...order))
      expect((await bench.ask('/')).body.toString()).toBe('<p>as  it  came</p>')
      expect(bench.io.counters.traffic('s', bench.io.store).channels[0]!.late).toBe(1)
      rewritten()
      await expect.poll(async () => (await bench.ask('/')).body.toString()).toContain('as it came')
      expect(bench.io.counters.traffic('s', bench.io.store).channels[0]!.late).toBe(1)
    } finally {
      await bench.close()
    }
  },
)

test('traffic is told by kind of page, with the bytes and the server wait that hits have saved', async () => {
  const bench = await DeliveryBench.open()
  try {
    bench.use(setupWith({ pageCache: { kinds: [{ name: 'Travel stories', paths: ['/stories/*'] }] } }))
    bench.handler = (_req, res) =>
      void setTimeout(() => res.writeHead(200, { 'content-type': 'text/html' }).end('12345'), 30)
    for (const path of ['/stories/a', '/stories/a', '/quays/b', '/quays/c']) await bench.ask(path)
    const live = () => bench.io.counters.traffic('s', bench.io.store).channels[0]!
    await expect.poll(() => live().requests).toBe(4)
    const { kinds, hits, hitBytes, savedMs, course } = live()
    expect(kinds.map(({ kind, requests, hits }) => [kind, requests, hits])).toEqual([
      ['Travel stories', 2, 1],
      ['/quays/*', 2, 0],
    ])
    expect([hits, hitBytes]).toEqual([1, 5])
    // As long as the origin took for the copy, within what a timer of 30 ms can be off.
    expect(savedMs).toBeGreaterThanOrEqual(25)
    expect(course.reduce((sum, { requests }) => sum + requests, 0)).toBe(4)
  } finally {
    await bench.close()
  }
})

test('the course of traffic is cut into stretches, and the oldest are forgotten', () => {
  const course = new Course()
  for (let i = 0; i < MOST_STRETCHES + 10; i++) course.add(epochMs(i * STRETCH_MS + 7), counted)
  expect(course.stretches).toHaveLength(MOST_STRETCHES)
  expect(course.stretches[0]!.at).toBe(10 * STRETCH_MS)
})
test('a clock that was set back adds to the newest stretch', () => {
  const course = new Course()
  for (const at of [10 * STRETCH_MS, 3 * STRETCH_MS]) course.add(epochMs(at), counted)
  expect(course.stretches.map(({ at, requests }) => [at, requests])).toEqual([[10 * STRETCH_MS, 2]])
})

test('sums outlive the process, and a damaged file begins them again', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'zest-counters-'))
  const bench = await DeliveryBench.open()
  try {
    await bench.ask('/')
    await expect.poll(() => bench.io.counters.kept().channels.length).toBe(1)
    const path = join(folder, 'counters.json')
    await saveKept(path, bench.io.counters.kept())
    const next = new Counters(epochMs(Date.now() + 1000))
    next.goOn((await loadKept(path, KeptCounters))!)
    expect(next.kept()).toEqual(bench.io.counters.kept())
    expect(await loadKept(join(folder, 'none.json'), KeptCounters)).toBeUndefined()
  } finally {
    await bench.close()
    await rm(folder, { recursive: true, force: true })
  }
})
