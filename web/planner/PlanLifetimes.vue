<script setup lang="ts">
import { computed } from 'vue'
import { durationInWords } from '../../core/catalogue/setting-sentences.ts'
import type { PlannerFacts, PlanSettings } from '../../core/contracts/planner.ts'
import { lifetimesOf } from '../../core/planner/planned-site.ts'
import { whole } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'
import { durationItems } from './plan-words.ts'

/** How long pages of each kind are fresh, now and in the plan, with what makes them old. */
const props = defineProps<{
  facts: PlannerFacts
  /** Visits a day of each kind, as they are simulated; null: not yet. */
  visits: readonly number[] | null
}>()
const plan = defineModel<PlanSettings>('plan', { required: true })
const changes = defineModel<readonly number[]>('changes', { required: true })

const setLifetime = (facts: PlannerFacts, at: number, lifetimeS: number): void => {
  const kind = facts.kinds[at]
  if (kind === undefined) return
  if (at === 0) plan.value = { ...plan.value, lifetimeS }
  else {
    const others = plan.value.kinds.filter(({ name }) => name !== kind.name)
    plan.value = { ...plan.value, kinds: [...others, { name: kind.name, paths: kind.paths, lifetimeS }] }
  }
}
/** One in every few minutes; a site that changes more often keeps such pages apart. */
const MOST_CHANGES = 500
const setChanges = (at: number, value: unknown): void => {
  const typed = Number(value)
  if (value === '' || !(typed >= 0 && typed <= MOST_CHANGES)) return
  changes.value = changes.value.map((one, index) => (index === at ? typed : one))
}
/** Kinds with pages only, most visits first; all others, the first one, come last. */
const rows = computed(() =>
  props.facts.kinds
    .map((kind, at) => ({ kind, at, visits: props.visits?.[at] ?? kind.visitsPerDay }))
    .filter(({ kind, at }) => at === 0 || kind.pages > 0)
    .toSorted((a, b) => Number(a.at === 0) - Number(b.at === 0) || b.visits - a.visits),
)
const nowOf = (facts: PlannerFacts, at: number): string => {
  const lifetimeS = lifetimesOf(facts, facts.now)[at] ?? facts.now.lifetimeS
  return lifetimeS === 0 ? 'not stored' : durationInWords(lifetimeS)
}
</script>

<template>
  <table class="figures lifetimes">
    <thead>
      <tr>
        <th>Kind of page</th>
        <th class="num">Pages</th>
        <th class="num">Visits per day</th>
        <th>Changes per day</th>
        <th>Lifetime now</th>
        <th>Lifetime in the plan</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ kind, at, visits: perDay } in rows" :key="kind.name">
        <td data-label="Kind of page">{{ at === 0 && facts.kinds.length === 1 ? 'All pages' : kind.name }}</td>
        <td class="num" data-label="Pages">{{ whole(kind.pages) }}</td>
        <td class="num" data-label="Visits per day">{{ whole(perDay) }}</td>
        <td data-label="Changes per day">
          <v-text-field
            type="number"
            min="0"
            step="any"
            class="changes"
            :aria-label="`Changes per day of ${kind.name}`"
            :model-value="Number((changes[at] ?? 0).toFixed(2))"
            @update:model-value="setChanges(at, $event)"
          />
        </td>
        <td data-label="Lifetime now">{{ nowOf(facts, at) }}</td>
        <td data-label="Lifetime in the plan">
          <SelectField
            class="lifetime"
            :label="`Lifetime of ${kind.name}`"
            hide-label
            :model-value="lifetimesOf(facts, plan)[at] ?? plan.lifetimeS"
            :items="durationItems(lifetimesOf(facts, plan)[at] ?? plan.lifetimeS, facts.longestUntoldS)"
            @update:model-value="setLifetime(facts, at, $event)"
          />
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.changes {
  width: 7rem;
}
.lifetime {
  width: 11rem;
}
/* On a phone each kind is a block: its name, then its figures with their names. */
@media (max-width: 760px) {
  thead {
    display: none;
  }
  tr {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.1rem 0.8rem;
    padding: 0.5rem 0;
    border-bottom: 1px solid rgb(var(--v-theme-line));
  }
  table.figures td,
  table.figures td.num {
    display: block;
    border: 0;
    text-align: left;
  }
  td::before {
    content: attr(data-label);
    display: block;
    font-size: 0.78rem;
    color: rgb(var(--v-theme-secondary));
  }
  td:first-child {
    grid-column: 1 / -1;
    font-weight: 600;
  }
  td:first-child::before {
    content: none;
  }
  .changes,
  .lifetime {
    width: 100%;
  }
}
</style>
