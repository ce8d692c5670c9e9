import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'

/** Why a page could not be measured, for people. */
export const failureSentence = (order: RunOrder, error: Error): string => {
  const first = error.message.split('\n')[0]!
  if (/Timeout/i.test(first))
    return `${order.url} did not finish loading within ${Math.round(order.timeoutMs / 1000)} s.`
  if (/ERR_(SOCKS_)?CONNECTION|ERR_EMPTY|ERR_PROXY/.test(first))
    return `${order.url} cannot be reached: the server refused or closed the connection.`
  return `${order.url} could not be loaded: ${first.replace(/^page\.goto: /, '')}`
}

export const neverQuiet = ({ url, timeoutMs }: RunOrder): RunOutcome => ({
  kind: 'failed',
  why: `${url} never stopped loading within ${Math.round(timeoutMs / 1000)} s; something on it keeps asking the server.`,
})

export const badStatus = ({ url }: RunOrder, status: number): RunOutcome => ({
  kind: 'failed',
  why: `${url} answered with status ${status}.`,
})
