import { z } from 'zod'
import { EdgeInfo } from '../core/contracts/edges.ts'
import { Job } from '../core/contracts/jobs.ts'
import { LoadTest, type LoadCurve, type LoadTarget } from '../core/contracts/load-tests.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import { findSite, UsageError, type Output } from './command-line.ts'
import { waitForJob } from './wait-for-job.ts'

export interface LoadOptions {
  readonly json: boolean
  readonly side: string[]
  readonly most?: string | undefined
  readonly wait?: string | undefined
  readonly yes: boolean
}

const RAN_OUT: Record<NonNullable<LoadCurve['result']>['ranOut'], string> = {
  nothing: 'nothing ran out',
  generator: 'this machine could not send more',
  processor: 'the processors of this machine ran out',
  connections: 'connections were refused or broke off',
  limit: 'a rate limit answered 429',
  'server-errors': 'the server answered with errors',
  origin: 'stored pages stayed quick, pages that the origin builds did not',
  workers: 'visitors came faster than pages were built',
  unknown: 'pages took too long',
}

const print = ({ curves }: LoadTest, out: Output): void => {
  for (const { name, result } of curves) {
    if (result === null) continue
    const handles = result.borne === null ? 'not even the lowest rate' : `${result.borne} visitors a second`
    const built = result.workers === null ? '' : ` (about ${result.workers} at the same time)`
    out.line(`${name}  ${handles}; ${RAN_OUT[result.ranOut]}${built}`)
  }
}

/** A positive number, or what the API chooses. @throws UsageError */
const numberFrom = (text: string | undefined, option: string): number | undefined => {
  if (text === undefined) return undefined
  const number = Number(text)
  if (!(number > 0)) throw new UsageError(`Give a number above 0 with ${option}.`)
  return number
}

/** `zest load`: how many visitors a second the site handles. @returns the exit code @throws UsageError, CommandFailure */
export const load = async (
  access: ApiAccess,
  name: string | undefined,
  { json, side, most, wait, yes }: LoadOptions,
  out: Output,
): Promise<number> => {
  const site = await findSite(access, name)
  if (!yes)
    throw new UsageError(`Visitors of ${site.name} will notice this test. Add --yes if the site is yours to test.`)
  const edges = side.some((one) => one !== 'origin' && one !== 'live')
    ? await callApi(access, 'GET', '/edges', z.array(EdgeInfo))
    : []
  const targetOf = (one: string): LoadTarget => {
    if (one === 'origin' || one === 'live') return { kind: one }
    const edge = edges.find((known) => known.name === one)
    if (edge === undefined) throw new UsageError(`--side is origin, live or the name of an edge; there is no ${one}.`)
    return { kind: 'edge', edgeId: edge.id }
  }
  const waitS = numberFrom(wait, '--wait')
  const job = await callApi(access, 'POST', `/sites/${site.id}/load-tests`, Job, {
    targets: (side.length === 0 ? ['origin', 'live'] : side).map(targetOf),
    bounds: { mostPerSecond: numberFrom(most, '--most'), ...(waitS === undefined ? {} : { waitMs: waitS * 1000 }) },
    agreed: true,
  })
  await waitForJob(access, job.id, 'The load test', out)
  const tests = await callApi(access, 'GET', `/sites/${site.id}/load-tests`, z.array(LoadTest))
  const test = tests.find(({ id }) => id === job.subjectId)
  if (test === undefined) throw new CommandFailure('The result of the load test is gone.')
  if (json) out.line(JSON.stringify(test, null, 2))
  else print(test, out)
  return 0
}
