import type { RequestRecord, RunMetrics } from '../../core/contracts/measuring.ts'

/** One request as a row: its phases on the time axis. */
export interface WaterfallRow {
  readonly record: RequestRecord
  readonly name: string
  readonly host: string
  readonly startMs: number
  readonly endMs: number
  /** In order: queued, connect, TLS, wait, receive; those that took no time are left out. */
  readonly phases: readonly { readonly name: Phase; readonly fromMs: number; readonly toMs: number }[]
}

export const PHASES = ['queued', 'connect', 'tls', 'wait', 'receive'] as const
export type Phase = (typeof PHASES)[number]

export const PHASE_NAMES: Record<Phase, string> = {
  queued: 'waiting for a connection',
  connect: 'connecting',
  tls: 'TLS handshake',
  wait: 'waiting for the server',
  receive: 'receiving',
}

const nameOf = (url: URL): string => {
  const last = url.pathname.split('/').filter(Boolean).at(-1)
  return last === undefined ? '/' : last + url.search
}

export const waterfallRows = (records: readonly RequestRecord[]): WaterfallRow[] =>
  records.map((record) => {
    const url = new URL(record.url)
    let at = record.startMs
    const phases: WaterfallRow['phases'][number][] = []
    for (const [name, ms] of [
      ['queued', record.queuedMs],
      ['connect', record.connectMs],
      ['tls', record.tlsMs],
      ['wait', record.waitMs],
      ['receive', record.receiveMs],
    ] as const) {
      if (ms > 0) phases.push({ name, fromMs: at, toMs: at + ms })
      at += ms
    }
    return { record, name: nameOf(url), host: url.host, startMs: record.startMs, endMs: at, phases }
  })

/** End of the axis, ms. */
export const waterfallEnd = (rows: readonly WaterfallRow[], metrics: RunMetrics | null): number =>
  Math.max(100, metrics?.loadedMs ?? 0, metrics?.lcpMs ?? 0, ...rows.map(({ endMs }) => endMs))

/** Types in the order of how many requests have them. */
export const typesOf = (rows: readonly WaterfallRow[]): string[] => {
  const counts = new Map<string, number>()
  for (const { record } of rows) counts.set(record.type, (counts.get(record.type) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1]).map(([type]) => type)
}
