<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { Measurement, type RunHead } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import ResultsTable from '../components/ResultsTable.vue'
import SideTag from '../components/SideTag.vue'
import { useBench } from '../stores/bench.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { bytes, seconds, timeLeft, when } from '../words/show.ts'

const props = defineProps<{ site: Site }>()
const route = useRoute()
const bench = useBench()
const jobs = useJobs()
const problems = useProblems()
const measurement = shallowRef<Measurement | null>(null)
const id = computed(() => String(route.params['measurementId']))

let newest = 0
const load = async (): Promise<void> => {
  const mine = ++newest
  const found = await problems.catching(() =>
    callApi('GET', bench.path(`/measurements/${id.value}`), Measurement),
  )
  if (found !== undefined && mine === newest) measurement.value = found
}
// The list is loaded again with every run that ends, so its change says that there is something new here too.
watch([id, () => bench.measurements], () => void load(), { immediate: true })

const job = computed(() => jobs.open.find(({ subjectId }) => subjectId === id.value))
const pageName = (path: string): string => (path === '/' ? 'Home page' : path)
const visitorName = (run: RunHead): string =>
  props.site.visitors.find(({ id: one }) => one === run.visitorId)?.name ?? run.visitorId
</script>

<template>
  <template v-if="measurement">
    <div class="bar head">
      <h1>
        Measured {{ when(measurement.createdAt) }}
        <span class="muted small"
          >by {{ measurement.by }}, {{ measurement.order.visit }} visit, {{ measurement.order.runs }} runs
          each</span
        >
      </h1>
      <router-link :to="{ name: 'measure', params: { siteId: site.id } }">All measurements</router-link>
    </div>
    <p v-if="measurement.changes.length > 0">Trial: {{ measurement.changes.join(', ') }}</p>
    <div v-if="job" class="panel progress" role="status">
      <v-progress-linear
        color="primary"
        height="10"
        :model-value="(100 * job.done) / Math.max(1, job.total)"
        :aria-label="`${job.done} of ${job.total} page loads`"
      />
      {{ job.done }} of {{ job.total }} page loads, {{ timeLeft(job.msLeft) }}. {{ job.now }}
    </div>
    <v-alert v-if="measurement.error" type="error" :text="measurement.error" />
    <v-alert
      v-if="measurement.state === 'cancelled'"
      type="info"
      text="Cancelled. What was measured until then is kept here and decides nothing."
    />

    <ResultsTable :results="measurement.results" />

    <h2>Every page load</h2>
    <div class="scroll">
      <table class="bench">
        <thead>
          <tr>
            <th scope="col">Page</th>
            <th scope="col">Visitor</th>
            <th scope="col">Side</th>
            <th scope="col">Run</th>
            <th scope="col" class="num">First paint</th>
            <th scope="col" class="num">Main content</th>
            <th scope="col" class="num">Loaded</th>
            <th scope="col" class="num">Requests</th>
            <th scope="col" class="num">Sent</th>
            <th scope="col">Waterfall</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="run in measurement.runs" :key="run.id" :class="{ muted: run.pair === 0 }">
            <th scope="row">{{ pageName(run.path) }}</th>
            <td>{{ visitorName(run) }}</td>
            <td><SideTag :side="run.side" /></td>
            <td>{{ run.pair === 0 ? 'fills caches, does not count' : run.pair }}</td>
            <template v-if="run.metrics">
              <td class="num">{{ seconds(run.metrics.fcpMs) }}</td>
              <td class="num">{{ seconds(run.metrics.lcpMs) }}</td>
              <td class="num">{{ seconds(run.metrics.loadedMs) }}</td>
              <td class="num">{{ run.metrics.requests }}</td>
              <td class="num">{{ bytes(run.metrics.sentBytes) }}</td>
              <td>
                <router-link
                  :to="{
                    name: 'run',
                    params: { siteId: site.id, measurementId: measurement.id, runId: run.id },
                  }"
                >
                  Open<span class="visually-hidden">
                    the waterfall of {{ pageName(run.path) }}, {{ run.side }}, run {{ run.pair }}</span
                  >
                </router-link>
              </td>
            </template>
            <td v-else colspan="6" class="failed">{{ run.failure }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped>
.head {
  justify-content: space-between;
  margin-bottom: 0.8rem;
}
.progress {
  margin-bottom: 1rem;
}
.failed {
  color: rgb(var(--v-theme-error));
}
h1 .small {
  font-weight: 400;
  font-size: 0.9rem;
}
</style>
