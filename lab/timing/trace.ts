import type { MainThreadTask } from '../../core/contracts/measuring.ts'

/** One event of a Chromium trace, as far as we read it; times in µs. */
export interface TraceEvent {
  readonly name: string
  readonly ph: string
  readonly pid: number
  readonly tid: number
  readonly ts: number
  readonly dur?: number
  readonly args?: {
    readonly data?: {
      readonly url?: string
      readonly requestId?: string
      readonly renderBlocking?: string
      readonly documentLoaderURL?: string
      readonly isLoadingMainFrame?: boolean
      readonly styleSheetUrl?: string
    }
    readonly name?: string
    readonly beginData?: { readonly url?: string }
  }
}

/** What to have Chromium write down. */
export const TRACE_CATEGORIES = [
  'devtools.timeline',
  'disabled-by-default-v8.compile',
  'v8',
  'blink.user_timing',
  'loading',
]

const KINDS: Record<string, MainThreadTask['kind']> = {
  ParseHTML: 'parse',
  EvaluateScript: 'script',
  FunctionCall: 'script',
  TimerFire: 'script',
  EventDispatch: 'script',
  FireAnimationFrame: 'script',
  XHRReadyStateChange: 'script',
  XHRLoad: 'script',
  RunMicrotasks: 'script',
  'v8.compile': 'script',
  'v8.evaluateModule': 'script',
  ParseAuthorStyleSheet: 'style',
  UpdateLayoutTree: 'style',
  Layout: 'layout',
  PrePaint: 'paint',
  Layerize: 'paint',
  Paint: 'paint',
  Commit: 'paint',
  MinorGC: 'other',
  MajorGC: 'other',
}

const addressOf = ({ args }: TraceEvent): string | null => args?.data?.url || args?.data?.styleSheetUrl || null

/** Time of an event less that of the events inside it which are counted apart, µs. */
interface Open {
  readonly event: TraceEvent
  readonly end: number
  own: number
}

/**
 * What the page's main thread did, each piece less the pieces inside it: a script that the parser ran is script, not parsing.
 * @param slowdown times the visitor's processor is slower; taken out of the result
 * @param url of the page, to tell its thread from others
 * @returns nothing when the trace does not hold the page's start
 */
export const mainThreadTasks = (
  events: readonly TraceEvent[],
  url: string,
  slowdown: number,
): { tasks: MainThreadTask[]; blocks: Map<string, 'rendering' | 'parsing'> } => {
  const started = events.filter(
    ({ name, args }) =>
      name === 'navigationStart' && args?.data?.isLoadingMainFrame !== false && args?.data?.documentLoaderURL === url,
  )
  const start = started.at(-1)
  const blocks = new Map<string, 'rendering' | 'parsing'>()
  for (const { name, args } of events) {
    if (name !== 'ResourceSendRequest' || args?.data?.requestId === undefined) continue
    if (args.data.renderBlocking === 'blocking') blocks.set(args.data.requestId, 'rendering')
    if (args.data.renderBlocking === 'in_body_parser_blocking') blocks.set(args.data.requestId, 'parsing')
  }
  if (start === undefined) return { tasks: [], blocks }
  const own = events
    .filter(
      ({ name, ph, pid, tid, ts }) =>
        ph === 'X' && pid === start.pid && tid === start.tid && ts >= start.ts && KINDS[name] !== undefined,
    )
    .sort((a, b) => a.ts - b.ts || (b.dur ?? 0) - (a.dur ?? 0))
  const tasks: MainThreadTask[] = []
  const stack: Open[] = []
  const close = (): void => {
    const { event, own: microseconds } = stack.pop()!
    if (microseconds < 50) return
    tasks.push({
      kind: KINDS[event.name]!,
      url: addressOf(event) ?? stack.map((open) => addressOf(open.event)).findLast((found) => found !== null) ?? null,
      startMs: Math.max(0, (event.ts - start.ts) / 1000),
      nativeMs: microseconds / 1000 / slowdown,
    })
  }
  for (const event of own) {
    while (stack.length > 0 && stack.at(-1)!.end <= event.ts) close()
    const { dur = 0 } = event
    const around = stack.at(-1)
    if (around !== undefined) around.own -= dur
    stack.push({ event, end: event.ts + dur, own: dur })
  }
  while (stack.length > 0) close()
  return { tasks: tasks.sort((a, b) => a.startMs - b.startMs), blocks }
}
