import type { Traffic } from '../../core/contracts/delivery.ts'
import type { EdgeSiteFigures } from '../../core/contracts/edges.ts'

const median = (values: readonly number[]): number | null => {
  if (values.length === 0) return null
  const sorted = [...values].sort((one, other) => one - other)
  return Math.round((sorted[Math.floor(sorted.length / 2)] ?? 0) * 10) / 10
}

/** What an edge has answered for a site, in short: live only, since that is all it serves. */
export const figuresOf = (siteId: string, { since, channels, recent }: Traffic): EdgeSiteFigures => {
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
    waitMs: median(recent.filter(({ channel }) => channel === 'live').map(({ tookMs }) => tookMs)),
  }
}
