import { describe, expect, test } from 'vitest'
import { unusedLength } from './coverage.ts'
import { mainThreadTasks, type TraceEvent } from './trace.ts'

const PAGE = 'http://quay.example/'
const event = (name: string, ts: number, dur: number, more: Partial<TraceEvent> = {}): TraceEvent => ({
  name,
  ph: 'X',
  pid: 1,
  tid: 1,
  ts,
  dur,
  ...more,
})
const start = event('navigationStart', 1000, 0, { args: { data: { documentLoaderURL: PAGE } } })
const script = (url: string) => ({ args: { data: { url } } })

describe('main-thread tasks of a trace', () => {
  test('a script that the parser ran is script, not parsing; what is inside it belongs to it', () => {
    const { tasks } = mainThreadTasks(
      [
        start,
        event('ParseHTML', 2000, 10_000),
        event('EvaluateScript', 3000, 6000, script(`${PAGE}a.js`)),
        event('Layout', 4000, 2000),
      ],
      PAGE,
      1,
    )
    expect(tasks).toEqual([
      { kind: 'parse', url: null, startMs: 1, nativeMs: 4 },
      { kind: 'script', url: `${PAGE}a.js`, startMs: 2, nativeMs: 4 },
      { kind: 'layout', url: `${PAGE}a.js`, startMs: 3, nativeMs: 2 },
    ])
  })
  test('the visitor’s slow-down is taken out', () => {
    expect(mainThreadTasks([start, event('Layout', 2000, 8000)], PAGE, 4).tasks[0]?.nativeMs).toBe(2)
  })
  test('other threads, other pages, what came before and what takes no time are left out', () => {
    const { tasks } = mainThreadTasks(
      [
        start,
        event('Layout', 2000, 5000, { tid: 2 }),
        event('Layout', 2000, 5000, { pid: 2 }),
        event('Layout', 500, 400),
        event('Layout', 3000, 10),
      ],
      PAGE,
      1,
    )
    expect(tasks).toEqual([])
    expect(mainThreadTasks([event('Layout', 2000, 5000)], PAGE, 1).tasks).toEqual([])
  })
  test('what blocks is told by request', () => {
    const sent = (requestId: string, renderBlocking: string) =>
      event('ResourceSendRequest', 1500, 0, { args: { data: { requestId, renderBlocking } } })
    const { blocks } = mainThreadTasks(
      [start, sent('1', 'blocking'), sent('2', 'in_body_parser_blocking'), sent('3', 'non_blocking')],
      PAGE,
      1,
    )
    expect([...blocks]).toEqual([
      ['1', 'rendering'],
      ['2', 'parsing'],
    ])
  })
})

describe('unused length', () => {
  const range = (startOffset: number, endOffset: number, count: number) => ({ startOffset, endOffset, count })
  test.each([
    ['all used', [range(0, 100, 1)], 0],
    ['a function that never ran', [range(0, 100, 1), range(20, 50, 0)], 30],
    ['the innermost decides', [range(0, 100, 1), range(20, 80, 0), range(30, 40, 1)], 50],
    ['nothing known counts as used', [], 0],
  ])('%s', (_why, ranges, unused) => expect(unusedLength(ranges, 100)).toBe(unused))
})
