<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import { EdgeCosts } from '../../core/contracts/regions.ts'
import { callApi } from '../api/client.ts'
import { bytes, whole } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'

/** What the owner's edges have cost this month. @param regions changes when another price list holds */
const props = defineProps<{ siteId: string; regions: unknown }>()
const problems = useProblems()
const costs = shallowRef<EdgeCosts | null>(null)
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', `/sites/${props.siteId}/edge-costs`, EdgeCosts))
  if (came !== undefined) costs.value = came
}
watch(() => [props.siteId, props.regions], load, { immediate: true })

const rows = computed(() => costs.value?.edges ?? [])
const money = (amount: number | null): string => (amount === null ? '–' : amount.toFixed(2))
const sumOf = (what: 'cost' | 'forecast'): string => {
  const amounts = rows.value.map((row) => row[what])
  return amounts.includes(null) ? '–' : money(amounts.reduce<number>((sum, amount) => sum + (amount ?? 0), 0))
}
const unpriced = computed(() => rows.value.filter(({ region }) => region === null).map(({ edge }) => edge))
const month = computed(() =>
  new Date(`${costs.value?.month ?? '2000-01'}-15`).toLocaleDateString('en', { month: 'long', year: 'numeric' }),
)
</script>

<template>
  <section v-if="rows.length > 0" aria-label="Cost of your edges">
    <h2>
      Your edges in {{ month }}<span v-if="costs?.currency" class="muted">, {{ costs.currency }}</span>
    </h2>
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Cost of your edges this month
        </caption>
        <thead>
          <tr>
            <th scope="col">Edge</th>
            <th scope="col">Priced as</th>
            <th scope="col" class="num">Requests</th>
            <th scope="col" class="num">Bytes sent</th>
            <th scope="col" class="num">Cost so far</th>
            <th scope="col" class="num">Forecast, whole month</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.edge">
            <th scope="row">{{ row.edge }}</th>
            <td>{{ row.region ?? '–' }}</td>
            <td class="num">{{ whole(row.requests) }}</td>
            <td class="num">{{ bytes(row.gb * 1e9) }}</td>
            <td class="num">{{ money(row.cost) }}</td>
            <td class="num">{{ money(row.forecast) }}</td>
          </tr>
        </tbody>
        <tfoot v-if="rows.length > 1 && unpriced.length === 0">
          <tr>
            <th scope="row" colspan="4">Together</th>
            <td class="num">{{ sumOf('cost') }}</td>
            <td class="num">{{ sumOf('forecast') }}</td>
          </tr>
        </tfoot>
      </table>
    </div>
    <p v-if="unpriced.length > 0" class="small muted">
      No price for {{ unpriced.join(', ') }}: add a line to the price list with the edge’s name, or with a place in the
      same town.
    </p>
    <p class="small muted">
      For this site; includes the full monthly fee. The forecast assumes that traffic continues as counted so far.
    </p>
  </section>
</template>
