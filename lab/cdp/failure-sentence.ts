import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import { upTo } from '../../core/http/up-to.ts'

/** Why a page could not be measured, for people. */
export const failureSentence = (order: RunOrder, error: Error): string => {
  const first = upTo(error.message, '\n')
  if (/Timeout/i.test(first))
    return `${order.url} did not finish loading within ${Math.round(order.timeoutMs / 1000)} s.`
  if (/ERR_(SOCKS_)?CONNECTION|ERR_EMPTY|ERR_PROXY/.test(first))
    return `${order.url} cannot be reached: the server refused or closed the connection.`
  return `${order.url} could not be loaded: ${first.replace(/^page\.goto: /, '')}`
}

export const neverQuiet = ({ url, timeoutMs }: RunOrder): RunOutcome => ({
  kind: 'failed',
  why: `${url} never stopped loading within ${Math.round(timeoutMs / 1000)} s; something on it keeps requesting files.`,
})

/**
 * A load that ended at another site, which is not what was to be measured. The same host over another scheme is the same site.
 * @param arrived address that the page came from; undefined: that of the order
 */
export const sentElsewhere = ({ url }: RunOrder, arrived: string | undefined): RunOutcome | undefined => {
  if (arrived === undefined) return undefined
  const [asked, came] = [new URL(url), new URL(arrived)]
  if (came.hostname === asked.hostname && (came.port === asked.port || came.protocol !== asked.protocol))
    return undefined
  return {
    kind: 'failed',
    why: `${url} redirected the browser to ${came.origin}, which is not the site to be measured.`,
  }
}

export const badStatus = ({ url }: RunOrder, status: number): RunOutcome => ({
  kind: 'failed',
  why: `${url} answered with status ${status}.`,
})
