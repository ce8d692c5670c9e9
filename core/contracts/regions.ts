import { z } from 'zod'
import { Place } from './measuring.ts'

/** A price per GB up to an amount in a month; the last step has no end. */
export const PriceStep = z.strictObject({
  upToGb: z.number().positive().nullable().describe('Holds up to this amount in a month; null: for all beyond'),
  perGb: z.number().min(0),
})
export type PriceStep = z.infer<typeof PriceStep>

/** A place where an edge could be rented, and what it costs. */
export const Region = z.strictObject({
  name: z.string().trim().min(1).max(60),
  place: Place,
  perMonth: z.number().min(0).describe('For having it at all'),
  perGb: z.array(PriceStep).min(1).max(10),
  perMillionRequests: z.number().min(0),
})
export type Region = z.infer<typeof Region>

/** Share of the visitors who are in one place. */
export const Audience = z.strictObject({ place: Place, share: z.number().positive().max(1e9) })
export type Audience = z.infer<typeof Audience>

export const RegionGoal = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('budget'), perMonth: z.number().min(0) }),
  z.strictObject({
    kind: z.literal('wait'),
    ms: z.number().positive().describe('Main content for visitors in every place, at the latest'),
  }),
])
export type RegionGoal = z.infer<typeof RegionGoal>

/** What the owner says of visitors, prices and aims. */
export const RegionPlan = z.strictObject({
  currency: z.string().trim().max(10).default('').describe('What amounts are in; a label only'),
  regions: z.array(Region).max(60).default([]),
  audience: z.array(Audience).max(60).default([]),
  visitsPerMonth: z.number().min(0).nullable().default(null).describe('Page visits; null: as counted'),
  goal: RegionGoal.default({ kind: 'budget', perMonth: 0 }),
  visitorId: z.string().max(60).nullable().default(null).describe('Whose device and link count; null: the first'),
  pageId: z.string().max(60).nullable().default(null).describe('Which page is opened; null: the first of the sample'),
})
export type RegionPlan = z.infer<typeof RegionPlan>

/** What a month is reckoned with. */
export const MonthOfTraffic = z.object({
  from: z.enum(['counted', 'assumed']).describe('Visits counted here, or said by the owner'),
  visits: z.number(),
  requests: z.number(),
  gb: z.number(),
  hitShare: z.number().min(0).max(1).describe('Answers that the store gives'),
})
export type MonthOfTraffic = z.infer<typeof MonthOfTraffic>

/** One set of regions: what it costs, and how long visitors wait for the main content. */
export const RegionSet = z.object({
  regions: z.array(z.string()),
  perMonth: z.number(),
  meanMs: z.number().describe('Over all visitors, each as often as they come'),
  worstMs: z.number().describe('Of the place that waits longest'),
})
export type RegionSet = z.infer<typeof RegionSet>

export const PlaceWait = z.object({
  place: Place,
  share: z.number(),
  from: z.string().describe('Region or edge that serves it; "home" where none is nearer'),
  distanceMs: z.number(),
  ms: z.number(),
  homeMs: z.number().describe('The same from home'),
})

export const RegionChoice = z.object({
  traffic: MonthOfTraffic,
  method: z.enum(['exact', 'greedy']).describe('All sets were looked at; or one region after another was added'),
  /** Sets that none other beats in both cost and wait, cheapest first. */
  curve: z.array(RegionSet),
  chosen: RegionSet.nullable().describe('null: no set meets the aim'),
  /** How much sooner, at most, the best set within the same budget could be; 0 where all were looked at. */
  gapMs: z.number(),
  places: z.array(PlaceWait).describe('With the chosen set'),
  sentence: z.string(),
})
export type RegionChoice = z.infer<typeof RegionChoice>

/** What an edge costs in a month. */
export const EdgeCost = z.object({
  edge: z.string(),
  region: z.string().nullable().describe('Line of the price list that holds for it; null: none does'),
  requests: z.number(),
  gb: z.number(),
  cost: z.number().nullable().describe('So far, with the fee of the month; null: no price is known'),
  forecast: z.number().nullable().describe('For the whole month, if it goes on like this; null: too early to say'),
})
export type EdgeCost = z.infer<typeof EdgeCost>

export const EdgeCosts = z.object({
  month: z.string().describe('In UTC, such as "2026-12"'),
  currency: z.string(),
  edges: z.array(EdgeCost),
})
export type EdgeCosts = z.infer<typeof EdgeCosts>
