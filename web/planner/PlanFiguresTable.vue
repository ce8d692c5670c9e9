<script setup lang="ts">
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { PlanFigures } from '../../core/contracts/planner.ts'
import { howMany } from '../format/show.ts'
import { figureRows } from './plan-words.ts'
import type { Simulated } from '../../core/contracts/simulations.ts'

/** What visitors and the origin get, now and under the plan. */
defineProps<{ now: PlanFigures; plan: PlanFigures; simulated: Simulated; outdated: boolean }>()
</script>

<template>
  <table class="figures" :class="{ outdated }" :aria-busy="outdated">
    <caption class="visually-hidden">
      What visitors and your server would get
    </caption>
    <thead>
      <tr>
        <th><span class="visually-hidden">Figure</span></th>
        <th class="num">Now</th>
        <th class="num">Plan</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in figureRows(now, plan)" :key="row.name + row.hint">
        <th scope="row">
          {{ row.name }} <span v-if="row.hint" class="muted small">({{ row.hint }})</span>
        </th>
        <td class="num">{{ row.now }}</td>
        <td class="num">
          <b>{{ row.plan }}</b>
        </td>
      </tr>
    </tbody>
  </table>
  <p class="small muted" role="status">
    <template v-if="outdated">Simulating the new settings … Before: </template>
    <template v-else>Simulated: </template>{{ howMany(simulated.visits, 'visit') }} over
    {{ roughlyInWords(Math.round(simulated.days * 86400)) }}. Only pages are simulated, not their files.
  </p>
</template>

<style scoped>
table {
  max-width: 54rem;
}
table.figures th[scope='row'] {
  font-weight: 400;
  font-size: inherit;
  color: inherit;
}
.outdated {
  font-style: italic;
}
</style>
