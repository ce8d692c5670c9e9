import type { Traffic } from '../../core/contracts/delivery.ts'
import type { EdgeSiteFigures } from '../../core/contracts/edges.ts'

const median = (values: readonly number[]): number | null => {
  if (values.length === 0) return null
  const sorted = [...values].sort((one, other) => one - other)
  return Math.round((sorted[Math.floor(sorted.length / 2)] ?? 0) * 10) / 10
}

/** Longer addresses are cut: a report stays small, however long the addresses are that somebody makes up. */
const LONGEST_TARGET = 300

/** What an edge has answered for a site, in short: live only, since that is all it serves. @param decisions how many of the newest go along */
export const figuresOf = (siteId: string, { since, channels, recent }: Traffic, decisions: number): EdgeSiteFigures => {
  const own = recent.filter(({ channel }) => channel === 'live')
  const live = channels.find(({ channel }) => channel === 'live')
  const failed = Object.entries(live?.outcomes ?? {}).filter(([outcome]) => outcome.startsWith('failed'))
  return {
    siteId,
    since,
    requests: live?.requests ?? 0,
    hits: live?.hits ?? 0,
    bytes: live?.bytes ?? 0,
    hitBytes: live?.hitBytes ?? 0,
    errors: failed.reduce((sum, [, times]) => sum + times, 0),
    waitMs: median(own.map(({ tookMs }) => tookMs)),
    recent: own.slice(0, decisions).map((record) => ({ ...record, target: record.target.slice(0, LONGEST_TARGET) })),
  }
}
