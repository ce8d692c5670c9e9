import type { PageResult } from '../contracts/measurements.ts'
import type { Message, VisitorLimits } from '../contracts/routine.ts'
import { acrossDays } from './across-days.ts'
import { inSeconds } from './result-sentence.ts'

/** What the owner should hear of a measurement. */
export type Notice = Pick<Message, 'kind' | 'sentence'>

const pageName = (path: string): string => (path === '/' ? 'the home page' : path)

/** Limits that the live side crosses, one sentence each. */
export const crossedLimits = (results: readonly PageResult[], limits: readonly VisitorLimits[]): Notice[] =>
  results.flatMap(({ path, visitorId, visitorName, sides }) => {
    const limit = limits.find((one) => one.visitorId === visitorId)
    const live = sides.find(({ side }) => side === 'live')
    if (limit === undefined || live === undefined) return []
    const { lcpMs, sentBytes, requests } = live.medians
    const where = `${pageName(path)} as “${visitorName}”`
    const atFirst = where.charAt(0).toUpperCase() + where.slice(1)
    const sentences: string[] = []
    if (limit.lcpSeconds !== null && lcpMs !== null && lcpMs > limit.lcpSeconds * 1000)
      sentences.push(`The main content of ${where} takes ${inSeconds(lcpMs)}; your limit is ${limit.lcpSeconds} s.`)
    if (limit.sentKilobytes !== null && sentBytes !== null && sentBytes > limit.sentKilobytes * 1000)
      sentences.push(`${atFirst} weighs ${Math.round(sentBytes / 1000)} KB; your limit is ${limit.sentKilobytes} KB.`)
    if (limit.requests !== null && requests !== null && requests > limit.requests)
      sentences.push(`${atFirst} makes ${Math.round(requests)} requests; your limit is ${limit.requests}.`)
    return sentences.map((sentence): Notice => ({ kind: 'limit-crossed', sentence }))
  })

/** Pages of the live side that are slower than on the occasion before, where the difference is more than chance. */
export const worsenings = (before: readonly PageResult[], now: readonly PageResult[]): Notice[] => {
  const liveOnly = (results: readonly PageResult[]): PageResult[] =>
    results.map((result) => ({ ...result, sides: result.sides.filter(({ side }) => side === 'live') }))
  return acrossDays(liveOnly(before), liveOnly(now))
    .filter(({ kind }) => kind === 'slower')
    .flatMap(({ path, visitorName, shift, later }) => {
      if (shift === undefined) return []
      const sentence = `${pageName(path)} as “${visitorName}” has become slower by ${inSeconds(-shift.shift)} (between ${inSeconds(-shift.high)} and ${inSeconds(-shift.low)}): main content now after ${inSeconds(later.lcpMs ?? 0)}.`
      return [{ kind: 'slower', sentence: sentence.charAt(0).toUpperCase() + sentence.slice(1) }]
    })
}
