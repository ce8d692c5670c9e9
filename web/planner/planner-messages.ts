import type { PlannerFacts, PlanFigures, PlanSettings } from '../../core/contracts/planner.ts'
import type { PlanBounds, PlanPoint } from '../../core/planner/plan-search.ts'
import type { PlannedTraffic } from '../../core/planner/planned-site.ts'

/** Which visits and changes settings are tried on. */
export interface PlannedCase {
  readonly traffic: PlannedTraffic | { readonly kind: 'log' }
  /** Of each kind. */
  readonly changesPerDay: readonly number[]
}

/** What the planner's worker is asked. */
export type PlannerOrder =
  | { readonly kind: 'begin'; readonly facts: PlannerFacts }
  | { readonly kind: 'log'; readonly id: number; readonly file: Blob }
  | { readonly kind: 'try'; readonly id: number; readonly on: PlannedCase; readonly plans: readonly PlanSettings[] }
  | { readonly kind: 'search'; readonly id: number; readonly on: PlannedCase; readonly bounds: PlanBounds }

/** What has been simulated. */
export interface Simulated {
  readonly visits: number
  readonly days: number
  /** Visits a day of each kind of page. */
  readonly perKind: readonly number[]
}

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
