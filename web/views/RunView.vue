<script setup lang="ts">
import { computed, defineAsyncComponent, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { Measurement, Run } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { toCsv } from '../../core/formats/csv.ts'
import { sideName } from '../../core/measuring/sides.ts'
import { endOf } from '../../core/measuring/lcp-phases.ts'
import { callApi } from '../api/client.ts'
import SideTag from '../ui/SideTag.vue'
import { fileName, saveFile, svgToPng } from '../export/save.ts'
import { waterfallSvg } from '../export/waterfall-svg.ts'
import FilmStrip from '../charts/FilmStrip.vue'
import WhenSeen from '../ui/WhenSeen.vue'
import SeenList from '../measure/ObservationList.vue'
import WeightBars from '../charts/WeightBars.vue'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { waterfallEnd, waterfallRows } from '../waterfall/rows.ts'
import WaterfallTable from '../waterfall/WaterfallTable.vue'
import { bytes, seconds, when } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'
import NoteBox from '../ui/NoteBox.vue'

/** Brings the load model with it. */
const PredictionPanel = defineAsyncComponent(() => import('../measure/PredictionPanel.vue'))

defineProps<{ site: Site }>()
const route = useRoute()
const siteData = useSite()
const problems = useProblems()
const run = shallowRef<Run | null>(null)
const other = shallowRef<Run | null>(null)
const measurement = shallowRef<Measurement | null>(null)
const otherId = ref<string | null>(null)
const measurementPath = computed(() => `/measurements/${String(route.params['measurementId'])}`)
const address = computed(() => `${measurementPath.value}/runs/${String(route.params['runId'])}`)

watch(
  address,
  async (path) => {
    otherId.value = null
    const [found, around] = await Promise.all([
      problems.catching(() => callApi('GET', siteData.path(path), Run)),
      problems.catching(() => callApi('GET', siteData.path(measurementPath.value), Measurement)),
    ])
    if (address.value !== path) return
    if (found !== undefined) run.value = found
    if (around !== undefined) measurement.value = around
  },
  { immediate: true },
)
watch(otherId, async (id) => {
  other.value = null
  if (id === null) return
  const found = await problems.catching(() => callApi('GET', siteData.path(`${measurementPath.value}/runs/${id}`), Run))
  if (found !== undefined && otherId.value === id) other.value = found
})
/** Loads of the same page as the same visitor: those worth laying under this one. */
const comparable = computed(() =>
  (measurement.value?.runs ?? [])
    .filter(
      (one) =>
        one.id !== run.value?.id &&
        one.pageId === run.value?.pageId &&
        one.visitorId === run.value?.visitorId &&
        one.metrics !== null,
    )
    .toSorted((a, b) => Number(a.side === run.value?.side) - Number(b.side === run.value?.side) || b.pair - a.pair)
    .map((one) => ({
      value: one.id,
      title: `${sideName(one.side)}, ${one.purpose === 'look' ? 'detailed load' : one.purpose === 'fill' ? 'warm-up' : `run ${one.pair}`}`,
    })),
)
const strips = computed(() => [run.value, other.value].filter((one) => one !== null))
const figures = computed(() => {
  const metrics = run.value?.metrics
  if (!metrics) return []
  return [
    ['Server wait (TTFB)', seconds(metrics.ttfbMs)],
    ['First paint (FCP)', seconds(metrics.fcpMs)],
    ['Main content (LCP)', seconds(metrics.lcpMs)],
    ['Fully loaded', seconds(metrics.loadedMs)],
    ['Blocked (TBT)', seconds(metrics.tbtMs)],
    ['Shift (CLS)', metrics.cls?.toFixed(2) ?? '–'],
    ['Requests', String(metrics.requests)],
    ['Sent', bytes(metrics.sentBytes)],
    ['Decoded', bytes(metrics.decodedBytes)],
  ]
})
const ttfb = computed(() => {
  const phases = run.value?.metrics?.ttfbPhases
  if (!phases) return ''
  const parts = [
    phases.redirectMs > 0 ? `redirects ${seconds(phases.redirectMs)}` : '',
    phases.connectMs > 0 ? `name lookup and connection ${seconds(phases.connectMs)}` : '',
    phases.tlsMs > 0 ? `TLS ${seconds(phases.tlsMs)}` : '',
    `server and round trip ${seconds(phases.serverMs)}`,
  ]
  return parts.filter((part) => part !== '').join(', ')
})
const lcp = computed(() => {
  const phases = run.value?.metrics?.lcpPhases
  return phases
    ? `${seconds(phases.waitMs)} waiting for the page, ${seconds(phases.discoveryMs)} before its download began, ${seconds(phases.downloadMs)} download, ${seconds(phases.renderMs)} until it was shown`
    : ''
})
const serverTiming = computed(
  () => run.value?.requests[0]?.responseFields.find(([name]) => name === 'server-timing')?.[1] ?? '',
)

const name = (ending: string): string =>
  fileName([run.value!.path === '/' ? 'home' : run.value!.path, run.value!.side, run.value!.visitorId], ending)
const COLUMNS = [
  'url',
  'type',
  'status',
  'protocol',
  'startMs',
  'queuedMs',
  'connectMs',
  'tlsMs',
  'waitMs',
  'receiveMs',
  'endMs',
  'sentBytes',
  'decodedBytes',
  'fromCache',
  'priority',
  'blocks',
] as const
const saveCsv = (): void => {
  const rows = run.value!.requests.map((record) =>
    COLUMNS.map((column) =>
      column === 'endMs' ? endOf(record) : column === 'fromCache' ? String(record.fromCache) : record[column],
    ),
  )
  saveFile(name('csv'), 'text/csv', toCsv(COLUMNS, rows))
}
const saveJson = (): void => saveFile(name('json'), 'application/json', JSON.stringify(run.value, null, 2))
const savePng = async (): Promise<void> => {
  const rows = waterfallRows(run.value!.requests)
  const title = `${run.value!.path} · ${sideName(run.value!.side)} · ${when(run.value!.at)}`
  const { svg, width, height } = waterfallSvg(title, rows, run.value!.metrics, waterfallEnd(rows, run.value!.metrics))
  await problems.catching(async () => saveFile(name('png'), 'image/png', await svgToPng(svg, width, height)))
}
</script>

<template>
  <template v-if="run">
    <div class="bar head">
      <h1>
        {{ run.path === '/' ? 'Home page' : run.path }}
        <span class="muted small"
          ><SideTag :side="run.side" /> · {{ run.visitor.name }} · {{ when(run.at) }} · {{ run.visit }} visit</span
        >
      </h1>
      <router-link
        :to="{
          name: 'measurement',
          params: { siteId: site.id, measurementId: String(route.params['measurementId']) },
        }"
        >Measurement</router-link
      >
    </div>
    <NoteBox
      v-if="measurement?.source === 'predicted'"
      kind="info"
      text="Predicted by the load model from the fetched page; no browser loaded it."
    />
    <NoteBox
      v-if="measurement?.source === 'archive'"
      kind="info"
      text="Read from an archive (HAR). It contains requests, but no paint times, layout shifts or blocking time."
    />
    <dl class="figures">
      <div v-for="[label, value] in figures" :key="label">
        <dt>{{ label }}</dt>
        <dd>{{ value }}</dd>
      </div>
    </dl>
    <p v-if="run.metrics?.lcpElement" class="small muted">
      Main content: <code class="element">{{ run.metrics.lcpElement }}</code>
      <code v-if="run.metrics.lcpUrl">{{ run.metrics.lcpUrl }}</code>
    </p>
    <p v-if="lcp" class="small muted">Its time: {{ lcp }}.</p>
    <p v-if="ttfb" class="small muted">First byte: {{ ttfb }}.</p>
    <p v-if="serverTiming" class="small muted">
      The server says: <code>{{ serverTiming }}</code>
    </p>

    <div class="bar section">
      <h2>Waterfall</h2>
      <SelectField
        v-if="comparable.length > 0"
        v-model="otherId"
        class="compare"
        none="None"
        label="Compare with another load"
        :items="comparable"
      />
      <span class="bar exports" role="group" aria-label="Save">
        <v-btn size="small" @click="savePng">PNG</v-btn>
        <v-btn size="small" @click="saveCsv">CSV</v-btn>
        <v-btn size="small" @click="saveJson">JSON</v-btn>
        <v-btn size="small" :href="`/api/v1${siteData.path(address)}/archive`" :download="name('har')">HAR</v-btn>
      </span>
    </div>
    <WaterfallTable :run="run" :other="other" />

    <h2>What the visitor saw</h2>
    <FilmStrip :runs="strips" />

    <h2>What it weighs</h2>
    <WeightBars :requests="run.requests" />

    <h2>What if</h2>
    <WhenSeen><PredictionPanel :run="run" :site="site" /></WhenSeen>

    <h2>Details of this load</h2>
    <SeenList :run="run" />
  </template>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1.6rem;
  margin: 0.7rem 0;
}
dt {
  font-size: 0.8rem;
  color: rgb(var(--v-theme-secondary));
}
dd {
  font-weight: 650;
}
p.small {
  margin: 0.1rem 0;
}
.element {
  margin-right: 0.6em;
}
h1 .small {
  font-size: 0.9rem;
  font-weight: 400;
}
.section {
  margin: 1.3rem 0 0.5rem;
}
.section h2 {
  margin: 0;
}
.compare {
  flex: 0 1 320px;
}
.exports {
  margin-left: auto;
}
</style>
