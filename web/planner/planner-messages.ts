import type { PlannerFacts, PlanFigures, PlanSettings } from '../../core/contracts/planner.ts'
import type { PlanBounds, PlanPoint, Simulated } from '../../core/contracts/simulations.ts'
import type { PlannedCase } from '../../core/planner/plan-trials.ts'

/** What the planner's worker is asked. */
export type PlannerOrder =
  | { readonly kind: 'begin'; readonly facts: PlannerFacts }
  | { readonly kind: 'log'; readonly id: number; readonly file: Blob }
  | { readonly kind: 'try'; readonly id: number; readonly on: PlannedCase; readonly plans: readonly PlanSettings[] }
  | { readonly kind: 'search'; readonly id: number; readonly on: PlannedCase; readonly bounds: PlanBounds }

/** What it answers; `id` is that of the order. */
export type PlannerAnswer =
  | {
      readonly kind: 'log'
      readonly id: number
      readonly lines: number
      readonly visits: number
      readonly days: number
    }
  | { readonly kind: 'no-log'; readonly id: number; readonly lines: number }
  | {
      readonly kind: 'tried'
      readonly id: number
      readonly figures: readonly PlanFigures[]
      readonly simulated: Simulated
    }
  | { readonly kind: 'step'; readonly id: number; readonly done: number; readonly total: number }
  | {
      readonly kind: 'found'
      readonly id: number
      readonly points: readonly PlanPoint[]
      readonly best: PlanPoint | null
    }
  | { readonly kind: 'failed'; readonly id: number; readonly sentence: string }
