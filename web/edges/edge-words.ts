import type { EdgeInfo, EdgeSiteFigures } from '../../core/contracts/edges.ts'

/** Where an edge stands right now, in a sentence for the table. @param when writes an instant */
export const edgeState = (
  { state, setup, lastSeenAt }: Pick<EdgeInfo, 'state' | 'setup' | 'lastSeenAt'>,
  when: (iso: string) => string,
): string => {
  if (state === 'not-joined') return 'Waiting for its machine to join'
  if (state === 'away')
    return lastSeenAt === null ? 'Not connected yet' : `Not connected since ${when(new Date(lastSeenAt).toISOString())}`
  if (setup === 'in-force') return 'Serves the current setup'
  return setup === 'behind' ? 'Receiving the current setup' : 'Connected'
}

/** Share of requests that an edge answered by itself, in percent; null while it has answered none. */
export const hitPercent = (figures: Pick<EdgeSiteFigures, 'requests' | 'hits'> | undefined): number | null =>
  figures === undefined || figures.requests === 0 ? null : Math.round((100 * figures.hits) / figures.requests)

/** Requests after which an edge has had the chance to fill. */
const FILLED_AFTER = 200

/** What is to be said of an edge that has just begun; null: nothing. */
export const firstFill = (figures: EdgeSiteFigures | undefined): string | null => {
  const percent = hitPercent(figures)
  if (figures === undefined || figures.requests >= FILLED_AFTER || (percent ?? 0) >= 90) return null
  return 'It fills as visitors come: the first request for each page goes home.'
}

/** What the owner enters on the machine that is to be an edge. @param origin of this interface */
export const joinCommand = (origin: string, token: string): string =>
  `npm run edge -- --join ${origin} --token ${token}`
