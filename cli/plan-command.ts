import { readFile } from 'node:fs/promises'
import { Job } from '../core/contracts/jobs.ts'
import { Trial } from '../core/contracts/ledger.ts'
import { PlannerFacts, type PlanFigures, type PlanSettings } from '../core/contracts/planner.ts'
import { Simulation, type SimulationOrder, type SimulationResult } from '../core/contracts/simulations.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import { findSite, UsageError, type Output } from './command-line.ts'
import { asDuration, secondsOf } from './duration.ts'
import { waitForJob } from './wait-for-job.ts'

export interface PlanOptions {
  readonly json: boolean
  readonly propose: boolean
  readonly put: boolean
  readonly lifetime: string[]
  readonly 'warm-every'?: string | undefined
  readonly 'warm-up'?: string | undefined
  readonly 'origin-per-day'?: string | undefined
  readonly oldest?: string | undefined
  readonly visits?: string | undefined
  readonly log?: string | undefined
}

const numberOf = (typed: string, option: string): number => {
  const value = Number(typed)
  if (!(value > 0)) throw new UsageError(`${option} is a number above 0; "${typed}" is not.`)
  return value
}

/** The plan with the lifetimes that were typed: 4h for all pages, Stories=1d for one kind. @throws UsageError */
const withLifetimes = (facts: PlannerFacts, typed: readonly string[]): PlanSettings =>
  typed.reduce((plan, one): PlanSettings => {
    const at = one.lastIndexOf('=')
    if (at < 0) {
      const lifetimeS = secondsOf(one, '--lifetime')
      return { ...plan, lifetimeS, kinds: plan.kinds.map((kind) => ({ ...kind, lifetimeS })) }
    }
    const [name, lifetimeS] = [one.slice(0, at), secondsOf(one.slice(at + 1), '--lifetime')]
    if (!plan.kinds.some((kind) => kind.name === name))
      throw new UsageError(
        `There is no kind "${name}". There are: ${plan.kinds.map((kind) => kind.name).join(', ') || 'none'}.`,
      )
    return { ...plan, kinds: plan.kinds.map((kind) => (kind.name === name ? { ...kind, lifetimeS } : kind)) }
  }, facts.first)

const withWarmUp = (plan: PlanSettings, options: PlanOptions): PlanSettings => {
  const { 'warm-up': automatic, 'warm-every': every } = options
  if (automatic !== undefined && automatic !== 'on' && automatic !== 'off')
    throw new UsageError('--warm-up is on or off.')
  return {
    ...plan,
    warmUp: {
      ...plan.warmUp,
      ...(automatic === undefined ? {} : { automatic: automatic === 'on' }),
      ...(every === undefined ? {} : { automatic: true, everyH: Math.round(numberOf(every, '--warm-every')) }),
    },
  }
}

const trafficOf = async ({ log, visits }: PlanOptions, facts: PlannerFacts): Promise<SimulationOrder['traffic']> => {
  if (log !== undefined) {
    const text = await readFile(log === '-' ? '/dev/stdin' : log, 'utf8').catch((error: Error) => {
      throw new CommandFailure(`The access log cannot be read: ${error.message}.`)
    })
    return { kind: 'log', text }
  }
  if (visits !== undefined) return { kind: 'assumed', visitsPerDay: numberOf(visits, '--visits'), exponent: 0.75 }
  if (facts.counted.from === 'nothing')
    throw new CommandFailure(
      'No visits have been counted yet. Give --visits with a guess of page visits per day, or --log with an access log.',
    )
  return { kind: 'counted' }
}

const whatOf = (facts: PlannerFacts, options: PlanOptions): SimulationOrder['what'] => {
  if (!options.propose) return { kind: 'try', settings: withWarmUp(withLifetimes(facts, options.lifetime), options) }
  if (options.lifetime.length > 0 || options['warm-up'] !== undefined || options['warm-every'] !== undefined)
    throw new UsageError('--propose finds lifetimes and warm-up by itself: give its bounds, or leave it out.')
  const { oldest, 'origin-per-day': requests } = options
  return {
    kind: 'propose',
    bounds: {
      ...(requests === undefined ? {} : { originPerDay: numberOf(requests, '--origin-per-day') }),
      ...(oldest === undefined ? {} : { oldestS: secondsOf(oldest, '--oldest') }),
    },
  }
}

const ROWS: readonly (readonly [string, (figures: PlanFigures) => string])[] = [
  ['cold visits per 1,000', ({ coldPerMille }) => coldPerMille.toFixed(1)],
  ['outdated visits per 1,000', ({ outdatedPerMille }) => outdatedPerMille.toFixed(1)],
  ['99 of 100 visits see at most', ({ age99S }) => asDuration(age99S)],
  ['requests to the origin per day', ({ originPerDay }) => originPerDay.toFixed(0)],
  ['of these by the warm-up', ({ warmUpPerDay }) => warmUpPerDay.toFixed(0)],
]

const lifetimeInWords = (lifetimeS: number): string => (lifetimeS === 0 ? 'not stored' : asDuration(lifetimeS))

const print = ({ now, plan, search, simulated }: SimulationResult, out: Output): void => {
  out.line(`simulated: ${Math.round(simulated.visits)} page visits in ${simulated.days.toFixed(1)} days`)
  if (search !== null)
    out.line(
      `${search.points.length} settings tried, ${search.kept} keep the bounds: at most ${search.bounds.originPerDay} requests per day, pages at most ${asDuration(search.bounds.oldestS)} old`,
    )
  if (plan === null) {
    const least = Math.min(...(search?.points ?? []).map(({ figures }) => figures.originPerDay))
    return out.line(`The fewest requests per day were ${least.toFixed(0)}: allow more requests, or older pages.`)
  }
  const { settings } = plan
  const { automatic, everyH } = settings.warmUp
  const lifetimes = [
    `all other pages ${lifetimeInWords(settings.lifetimeS)}`,
    ...settings.kinds.map(({ name, lifetimeS }) => `${name} ${lifetimeInWords(lifetimeS)}`),
  ]
  out.line(`plan: ${lifetimes.join(', ')}`)
  out.line(`warm-up: ${automatic ? `on${everyH > 0 ? `, all pages every ${everyH} h` : ''}` : 'off'}`)
  out.line(`${''.padEnd(32)}${'now'.padStart(14)}${'plan'.padStart(14)}`)
  for (const [name, of] of ROWS)
    out.line(`${name.padEnd(32)}${of(now.figures).padStart(14)}${of(plan.figures).padStart(14)}`)
}

/** `zest plan`. @returns the exit code @throws UsageError, CommandFailure */
export const plan = async (
  access: ApiAccess,
  name: string | undefined,
  options: PlanOptions,
  out: Output,
): Promise<number> => {
  const site = await findSite(access, name)
  const path = `/sites/${site.id}/planner`
  const facts = await callApi(access, 'GET', path, PlannerFacts)
  const order: SimulationOrder = {
    traffic: await trafficOf(options, facts),
    changesPerDay: null,
    what: whatOf(facts, options),
  }
  const job = await callApi(access, 'POST', `${path}/simulations`, Job, order)
  await waitForJob(access, job.id, 'The simulation', out)
  const { result } = await callApi(access, 'GET', `${path}/simulations/${job.subjectId}`, Simulation)
  if (result === null) throw new CommandFailure('The simulation gave no figures.')
  if (options.json) out.line(JSON.stringify(result, null, 2))
  else print(result, out)
  if (!options.put) return result.plan === null ? 1 : 0
  if (result.plan === null) throw new CommandFailure('There is no plan to put into the trial.')
  const { settings, figures } = result.plan
  await callApi(access, 'POST', `${path}/plans`, Trial, { settings, predicted: figures })
  out.note('The plan is in the trial.')
  return 0
}
