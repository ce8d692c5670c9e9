<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Measurement, type RunHead } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import ActionButton from '../ui/ActionButton.vue'
import ResultsTable from '../measure/ResultsTable.vue'
import AcrossDays from '../measure/AcrossDays.vue'
import SideTag from '../ui/SideTag.vue'
import { fileName, saveFile } from '../export/save.ts'
import { toCsv } from '../../core/formats/csv.ts'
import StripChoice from '../measure/FilmStripChoice.vue'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { bytes, seconds, timeLeft, when } from '../format/show.ts'
import ModalDialog from '../ui/ModalDialog.vue'
import NoteBox from '../ui/NoteBox.vue'

const props = defineProps<{ site: Site }>()
const route = useRoute()
const siteData = useSite()
const jobs = useJobs()
const problems = useProblems()
const measurement = shallowRef<Measurement | null>(null)
const id = computed(() => String(route.params['measurementId']))

let newest = 0
const load = async (): Promise<void> => {
  const mine = ++newest
  const found = await problems.catching(() => callApi('GET', siteData.path(`/measurements/${id.value}`), Measurement))
  if (found !== undefined && mine === newest) measurement.value = found
}
// The list is loaded again with every run that ends, so its change says that there is something new here too.
watch([id, () => siteData.measurements], () => void load(), { immediate: true })

const job = computed(() => jobs.open.find(({ subjectId }) => subjectId === id.value))
const PURPOSES = { fill: 'warm-up, not counted', look: 'detailed load, not counted' } as const
const COLUMNS = ['path', 'visitorId', 'side', 'purpose', 'pair', 'at'] as const
const FIGURES = [
  'ttfbMs',
  'fcpMs',
  'lcpMs',
  'tbtMs',
  'loadedMs',
  'cls',
  'requests',
  'sentBytes',
  'decodedBytes',
] as const
const name = (ending: string): string => fileName(['measurement', measurement.value!.createdAt.slice(0, 16)], ending)
const saveCsv = (): void => {
  const rows = measurement.value!.runs.map((run) => [
    ...COLUMNS.map((column) => run[column]),
    ...FIGURES.map((figure) => run.metrics?.[figure] ?? null),
    run.failure,
  ])
  saveFile(name('csv'), 'text/csv', toCsv([...COLUMNS, ...FIGURES, 'failure'], rows))
}
const saveJson = (): void => saveFile(name('json'), 'application/json', JSON.stringify(measurement.value, null, 2))
const router = useRouter()
const asking = ref(false)
const deleting = ref(false)
const remove = async (): Promise<void> => {
  deleting.value = true
  const gone = await problems.catching(() =>
    callApi('DELETE', siteData.path(`/measurements/${id.value}`)).then(() => true),
  )
  deleting.value = false
  asking.value = false
  if (gone === true) await router.push({ name: 'measure', params: { siteId: props.site.id } })
}
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
          >by {{ measurement.by }}, {{ measurement.order.visit }} visit,
          {{ measurement.order.sides.length > 1 ? 'up to ' : '' }}{{ measurement.order.runs }} runs each</span
        >
      </h1>
      <span class="bar">
        <v-btn size="small" @click="saveCsv">CSV</v-btn>
        <v-btn size="small" @click="saveJson">JSON</v-btn>
        <v-btn v-if="!job" size="small" @click="asking = true">Delete</v-btn>
        <router-link :to="{ name: 'measure', params: { siteId: site.id } }">All measurements</router-link>
      </span>
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
    <NoteBox v-if="measurement.error" kind="error" :text="measurement.error" />
    <NoteBox
      v-if="measurement.state === 'cancelled'"
      kind="info"
      text="Cancelled. What was measured until then is shown, but decides nothing."
    />

    <NoteBox
      v-if="measurement.source === 'predicted'"
      kind="warning"
      text="Predicted, not measured: no browser could be started on this machine. The figures come from the fetched pages by the load model; scripts were not run. Install Chromium (apt-get install chromium, or name its path in ZEST_CHROMIUM), start Zest Lamp again and measure."
    />
    <NoteBox
      v-if="measurement.source === 'archive'"
      kind="info"
      text="Read from an archive (HAR). Open the load below for its waterfall and predictions."
    />

    <NoteBox
      v-if="measurement.notReady.length > 0"
      kind="info"
      :text="`Not everything was ready while ${measurement.notReady.join(', ')} ${measurement.notReady.length === 1 ? 'was' : 'were'} measured: some pictures came unchanged from your server (origin). Measure again later to see what visitors will get.`"
    />

    <ResultsTable :results="measurement.results" />

    <template v-if="measurement.runs.some(({ purpose, metrics }) => purpose === 'look' && metrics)">
      <h2>What visitors saw</h2>
      <StripChoice :measurement="measurement" :site="site" />
    </template>

    <template v-if="measurement.source === 'lab' && measurement.state === 'done'">
      <h2>Compared with another day</h2>
      <AcrossDays :measurement="measurement" />
    </template>

    <h2>Every page load</h2>
    <div class="scroll">
      <table class="figures">
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
          <tr v-for="run in measurement.runs" :key="run.id" :class="{ muted: run.purpose !== 'count' }">
            <th scope="row">{{ pageName(run.path) }}</th>
            <td>{{ visitorName(run) }}</td>
            <td><SideTag :side="run.side" /></td>
            <td>{{ run.purpose === 'count' ? run.pair : PURPOSES[run.purpose] }}</td>
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
    <ModalDialog v-model="asking" :width="520" label="Delete this measurement">
      <div class="panel dialog">
        <h2 class="first">Delete this measurement?</h2>
        <p>Its page loads, requests and pictures are deleted for good. Its entry in the ledger stays.</p>
        <div class="bar end">
          <v-btn @click="asking = false">Cancel</v-btn>
          <ActionButton color="primary" variant="flat" :under-way="deleting" @click="remove">Delete</ActionButton>
        </div>
      </div>
    </ModalDialog>
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
