import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { epochMs } from '../../core/time.ts'
import { purge } from '../purge/purge.ts'
import { headerText, parseHeader } from '../store/entry-file.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { changesOf } from './page-changes.ts'
import { FailedRewritings } from './failed-rewritings.ts'

const AS_IT_CAME = '<!doctype html><title>Quay</title><p>as  it  came</p>'
const REWRITTEN = '<p>as it came'
const MINUTE_S = 60

describe('a page whose rewriting fails', () => {
  let bench: DeliveryBench
  let tries = 0
  /** What the rewriting waits for, and then fails. */
  let held: Promise<void>
  let well: () => void

  beforeEach(async () => {
    bench = await DeliveryBench.open()
    bench.use(setupWith({ pageCache: {}, minify: {} }))
    bench.handler = (_req, res) => void res.writeHead(200, { 'content-type': 'text/html', etag: '"a"' }).end(AS_IT_CAME)
    tries = 0
    held = Promise.resolve()
    const { pool } = bench.io.rewriter
    const page = pool.page.bind(pool)
    const failing = async () => {
      tries++
      await held
      throw new Error('it took longer than 30 s')
    }
    Object.assign(pool, { page: failing })
    Object.assign(bench.io, { say: () => undefined })
    well = () => Object.assign(pool, { page })
  })
  afterEach(() => bench.close())

  const body = async (): Promise<string> => (await bench.ask('/')).body.toString()
  const failures = () => bench.io.rewriter.failed('s')

  test('goes out as it came, from the store, and is left alone for a minute', async () => {
    expect(await body()).toBe(AS_IT_CAME)
    well()
    bench.aheadS = MINUTE_S - 5
    expect(await bench.status('/')).toContain('hit')
    expect(await body()).toBe(AS_IT_CAME)
    expect([tries, bench.asked.length]).toEqual([1, 1])
  })
  test('is fetched whole and tried again then, behind the visitor who comes first', async () => {
    await body()
    well()
    bench.aheadS = MINUTE_S + 1
    await expect.poll(body).toContain(REWRITTEN)
    expect(bench.asked.at(-1)!.headers['if-none-match']).toBeUndefined()
    expect(failures()).toEqual([])
  })
  test('that failed only after its visitor had gone on is tried again too', async () => {
    let fail: () => void = () => undefined
    held = new Promise((resolve) => (fail = resolve))
    expect(await body()).toBe(AS_IT_CAME)
    fail()
    await expect.poll(failures).toHaveLength(1)
    well()
    bench.aheadS = MINUTE_S + 1
    await expect.poll(body).toContain(REWRITTEN)
  })
  test.each(['hard', 'soft'] as const)('is tried at once after a %s purge', async (manner) => {
    await body()
    well()
    purge({ siteId: 's', channel: 'live', what: { kind: 'everything' }, manner }, bench.io)
    await expect.poll(body).toContain(REWRITTEN)
  })
  test('and is kept nowhere, is not tried for each of its visitors', async () => {
    bench.use(setupWith({ minify: {} }))
    for (let visitor = 0; visitor < 3; visitor++) expect(await body()).toBe(AS_IT_CAME)
    expect(tries).toBe(1)
    bench.aheadS = MINUTE_S + 1
    await body()
    expect(tries).toBe(2)
  })
  test('is told to the owner, with why and when it is tried again', async () => {
    await body()
    const [failed] = failures()
    expect(failed).toMatchObject({ channel: 'live', target: '/', why: 'it took longer than 30 s', tries: 1 })
    const { untouched } = await changesOf(
      { siteId: 's', channel: 'live', path: '/', device: 'laptop', scheme: 'http' },
      bench.io,
    )
    expect(untouched).toContain('Rewriting this page failed, so it goes out as it came.')
    expect(untouched).toContain('it took longer than 30 s')
  })
  test('is known as such to the next process: what is stored says so', async () => {
    await body()
    const [entry] = [...bench.io.store.all()]
    expect(parseHeader(headerText(entry!))).toMatchObject({ asItCame: true, staleSince: entry!.staleSince })
  })
})

describe('waits between tries', () => {
  const page = { siteId: 's', channel: 'live' as const, target: '/', why: 'it hangs' }
  test('grow with each failure, up to a day', () => {
    const failed = new FailedRewritings()
    const minutes = Array.from({ length: 8 }, () => failed.add('one', page, epochMs(0)).againAt / 60_000)
    expect(minutes).toEqual([1, 4, 16, 64, 256, 1024, 1440, 1440])
  })
  test('begin again after a success, and are of one copy of a page', () => {
    const failed = new FailedRewritings()
    failed.add('one', page, epochMs(0))
    failed.succeeded('one')
    expect(failed.add('one', page, epochMs(0)).tries).toBe(1)
    expect(failed.leftAlone('another', epochMs(0))).toBeUndefined()
    expect(failed.leftAlone('one', epochMs(59_999))).toBeDefined()
    expect(failed.leftAlone('one', epochMs(60_000))).toBeUndefined()
  })
  test("end when the site's content changes, and only for this site", () => {
    const failed = new FailedRewritings()
    failed.add('one', page, epochMs(0))
    failed.add('two', { ...page, siteId: 't' }, epochMs(0))
    failed.forget('s')
    expect([failed.of('s').length, failed.of('t').length]).toEqual([0, 1])
  })
})
