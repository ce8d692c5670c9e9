import type { PlannerFacts } from '../contracts/planner.ts'
import type { PlanPoint, SimulationOrder, SimulationResult } from '../contracts/simulations.ts'
import { usualBounds } from './first-plan.ts'
import { keepsBounds } from './plan-search.ts'
import { PlanTrials, type PlannedCase } from './plan-trials.ts'

/** The order cannot be carried out; the sentence says why. */
export class SimulationFailure extends Error {}

/**
 * Carry out one order.
 * @param onStep told how far a search is
 * @throws SimulationFailure where the access log holds no visits
 */
export const runSimulation = async (
  facts: PlannerFacts,
  { traffic, changesPerDay, what }: SimulationOrder,
  onStep: (done: number, total: number) => void,
): Promise<SimulationResult> => {
  const trials = new PlanTrials(facts)
  if (traffic.kind === 'log') {
    const { lines, read } = await trials.readLog(traffic.text.split('\n'))
    if (read === undefined)
      throw new SimulationFailure(
        `None of the ${lines} lines is a visit of a page in a format that is understood. Give an access log in the common or the combined format.`,
      )
  }
  const on: PlannedCase = {
    traffic: traffic.kind === 'log' ? { kind: 'log' } : traffic,
    changesPerDay: facts.kinds.map((kind, at) => changesPerDay?.[at] ?? kind.changesPerDay),
  }
  if (what.kind === 'try') {
    const { figures, simulated } = trials.try(on, [facts.now, what.settings])
    const [now, plan] = figures as [PlanPoint['figures'], PlanPoint['figures']]
    return {
      simulated,
      now: { settings: facts.now, figures: now },
      plan: { settings: what.settings, figures: plan },
      search: null,
    }
  }
  const { figures: first, simulated } = trials.try(on, [facts.now])
  const [ofNow] = first as [PlanPoint['figures']]
  const bounds = { ...usualBounds(facts, ofNow), ...what.bounds }
  const { points, best } = trials.search(on, bounds, onStep)
  const search = { bounds, kept: points.filter(({ figures }) => keepsBounds(figures, bounds)).length, points }
  if (best === null) return { simulated, now: { settings: facts.now, figures: ofNow }, plan: null, search }
  // On the same visits as each other, and on as many as are shown.
  const shown = trials.try(on, [facts.now, best.settings])
  const [now, plan] = shown.figures as [PlanPoint['figures'], PlanPoint['figures']]
  return {
    simulated: shown.simulated,
    now: { settings: facts.now, figures: now },
    plan: { settings: best.settings, figures: plan },
    search,
  }
}
