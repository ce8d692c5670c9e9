import type { RequestRecord, RunMetrics } from '../contracts/measuring.ts'
import type { CriticalBytes } from './floor.ts'

/**
 * Bytes without which the main content cannot appear: the HTML, the style sheets asked for before the first paint, and the
 * picture that is the main content. Scripts are not among them: a page can be made to draw without.
 * @param requests of one run @param metrics of the same run
 * @returns undefined when the run has no document
 */
export const criticalBytes = (
  requests: readonly RequestRecord[],
  metrics: Pick<RunMetrics, 'fcpMs' | 'lcpUrl'>,
): CriticalBytes | undefined => {
  const document = requests.find(({ type, status }) => type === 'document' && status === 200)
  if (document === undefined) return undefined
  const rest = requests
    .filter(
      ({ type, url, startMs }) =>
        (type === 'style' && startMs <= (metrics.fcpMs ?? Number.POSITIVE_INFINITY)) ||
        (metrics.lcpUrl !== null && url === metrics.lcpUrl),
    )
    .reduce((sum, { sentBytes }) => sum + sentBytes, 0)
  return { document: document.sentBytes, rest }
}
