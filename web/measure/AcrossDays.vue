<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { Measurement } from '../../core/contracts/measurements.ts'
import { acrossDays } from '../../core/measuring/across-days.ts'
import { callApi } from '../api/client.ts'
import { rulerScale } from '../ruler/scale.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { seconds, when } from '../format/show.ts'
import RunDots from '../charts/RunDots.vue'
import SideTag from '../ui/SideTag.vue'
import SelectField from '../ui/SelectField.vue'

/** This measurement beside one of another day. */
const props = defineProps<{ measurement: Measurement }>()
const siteData = useSite()
const problems = useProblems()
const otherId = ref<string | null>(null)
const other = shallowRef<Measurement | null>(null)

const choices = computed(() =>
  siteData.measurements
    .filter(({ id, state, source }) => id !== props.measurement.id && state === 'done' && source === 'lab')
    .map(({ id, createdAt, order }) => ({
      value: id,
      title: `${when(createdAt)}: ${order.sides.join(', ')}`,
    })),
)
watch(otherId, async (id) => {
  other.value = null
  if (id === null) return
  const found = await problems.catching(() => callApi('GET', siteData.path(`/measurements/${id}`), Measurement))
  if (found !== undefined && otherId.value === id) other.value = found
})
const compared = computed(() => {
  if (other.value === null) return []
  const [earlier, later] = [other.value, props.measurement].toSorted((a, b) => a.createdAt.localeCompare(b.createdAt))
  return acrossDays(earlier!.results, later!.results)
})
const scale = computed(() =>
  rulerScale(compared.value.flatMap(({ earlier, later }) => [...earlier.values, ...later.values])),
)
</script>

<template>
  <SelectField v-model="otherId" class="choice" none="None" label="Compare with" :items="choices" />
  <template v-if="other">
    <p class="small muted">
      Between two days the server, the machine and the content may have changed as well. Only versions loaded in turn
      can be compared exactly.
    </p>
    <p v-if="compared.length === 0">The two measurements have no page and visitor in common.</p>
    <div v-else class="scroll">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Page</th>
            <th scope="col">Visitor</th>
            <th scope="col" class="num">Earlier</th>
            <th scope="col" class="num">Later</th>
            <th scope="col" class="wide">Each run, earlier above later</th>
            <th scope="col">Result</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in compared" :key="row.path + row.visitorName + row.later.side">
            <th scope="row">{{ row.path === '/' ? 'Home page' : row.path }}</th>
            <td>{{ row.visitorName }}</td>
            <td class="num">{{ seconds(row.earlier.lcpMs) }}</td>
            <td class="num">{{ seconds(row.later.lcpMs) }}</td>
            <td class="wide">
              <RunDots :values="row.earlier.values" :scale="scale" :side="row.earlier.side" />
              <RunDots :values="row.later.values" :scale="scale" :side="row.later.side" />
            </td>
            <td class="small"><SideTag :side="row.later.side" /> {{ row.sentence.replace(/^[^:]+: /, '') }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped>
.choice {
  max-width: 380px;
  margin-bottom: 0.6rem;
}
.wide {
  min-width: 200px;
  width: 30%;
}
</style>
