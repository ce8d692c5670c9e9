import { z } from 'zod'
import { PlannerFacts } from '../../core/contracts/planner.ts'
import { SimulationOrder, SimulationResult } from '../../core/contracts/simulations.ts'

export const SimulatorTask = z.object({ facts: PlannerFacts, order: SimulationOrder })
export type SimulatorTask = z.infer<typeof SimulatorTask>

/** What the simulator's process tells. */
export const SimulatorMessage = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('step'), done: z.int(), total: z.int() }),
  z.object({ kind: z.literal('done'), result: SimulationResult }),
  z.object({ kind: z.literal('failed'), sentence: z.string() }),
])
export type SimulatorMessage = z.infer<typeof SimulatorMessage>
