import type { PlanSettings } from '../contracts/planner.ts'
import type { PageKind, Setup } from '../contracts/setup.ts'
import { PageKind as PageKindSchema } from '../contracts/setup.ts'

/** More exact patterns first: the first kind that fits an address counts. */
const byExactness = (a: { readonly paths: readonly string[] }, b: { readonly paths: readonly string[] }): number =>
  Math.max(...b.paths.map(({ length }) => length)) - Math.max(...a.paths.map(({ length }) => length))

/** The setup with the lifetimes of a plan: kinds that it has keep their other settings, kinds that it lacks are added behind them. */
export const withPlan = (setup: Setup, plan: PlanSettings): Setup => {
  const { pageCache } = setup.remedies
  const planned = new Map(plan.kinds.map((kind) => [kind.name, kind]))
  const known = pageCache.kinds.map((kind): PageKind => {
    const lifetimeS = planned.get(kind.name)?.lifetimeS
    return lifetimeS === undefined ? kind : { ...kind, lifetimeS: lifetimeS === plan.lifetimeS ? null : lifetimeS }
  })
  const names = new Set(known.map(({ name }) => name))
  // Of two lifetimes for one name the last one counts.
  const added = [...planned.values()]
    .filter(({ name, lifetimeS }) => !names.has(name) && lifetimeS !== plan.lifetimeS)
    .toSorted(byExactness)
    .map(({ name, paths, lifetimeS }) => PageKindSchema.parse({ name, paths, lifetimeS }))
  return {
    ...setup,
    remedies: {
      ...setup.remedies,
      pageCache: {
        ...pageCache,
        enabled: true,
        lifetimeS: plan.lifetimeS,
        staleWhileRevalidateS: plan.staleWhileRevalidateS,
        kinds: [...known, ...added],
      },
    },
  }
}

/** Whether a setup has the lifetimes of a plan. */
export const isInSetup = (setup: Setup, plan: PlanSettings): boolean => {
  const { pageCache } = setup.remedies
  const meant = withPlan(setup, plan).remedies.pageCache
  return JSON.stringify(pageCache) === JSON.stringify(meant)
}
