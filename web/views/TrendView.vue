<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { TrendPoint } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { toCsv } from '../../core/formats/csv.ts'
import { sideName } from '../../core/measuring/sides.ts'
import { callApi } from '../api/client.ts'
import MeasureNav from '../measure/MeasureNav.vue'
import SideTag from '../ui/SideTag.vue'
import { fileName, saveFile, svgToPng } from '../export/save.ts'
import TrendChart from '../charts/TrendChart.vue'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { bytes, seconds, when, whole } from '../format/show.ts'

/** The page and visitor of the ruler, over the weeks. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()
const problems = useProblems()
const points = shallowRef<readonly TrendPoint[] | null>(null)
const chart = ref<InstanceType<typeof TrendChart> | null>(null)
const pageId = computed(() => siteData.chosen?.pageId ?? props.site.sample[0]?.id ?? '')
const visitorId = computed(() => siteData.chosen?.visitorId ?? props.site.visitors[0]?.id ?? '')
const pageName = computed(() => {
  const path = props.site.sample.find(({ id }) => id === pageId.value)?.path ?? ''
  return path === '/' ? 'Home page' : path
})
const visitorName = computed(() => props.site.visitors.find(({ id }) => id === visitorId.value)?.name ?? '')

watch(
  [pageId, visitorId, () => siteData.measurements],
  async ([page, visitor]) => {
    const query = new URLSearchParams({ pageId: page, visitorId: visitor })
    const found = await problems.catching(() => callApi('GET', siteData.path(`/trend?${query}`), z.array(TrendPoint)))
    if (found !== undefined && page === pageId.value && visitor === visitorId.value) points.value = found
  },
  { immediate: true },
)
const name = (ending: string): string => fileName(['trend', pageName.value, visitorName.value], ending)
const saveCsv = (): void =>
  saveFile(
    name('csv'),
    'text/csv',
    toCsv(
      ['at', 'side', 'liveVersion', 'lcpMs', 'fcpMs', 'loadedMs', 'requests', 'sentBytes', 'runs'],
      (points.value ?? []).map(({ at, side, liveVersion, medians, lcpMs }) => [
        at,
        side,
        liveVersion,
        medians.lcpMs,
        medians.fcpMs,
        medians.loadedMs,
        medians.requests,
        medians.sentBytes,
        lcpMs.map(Math.round).join(' '),
      ]),
    ),
  )
const saveJson = (): void => saveFile(name('json'), 'application/json', JSON.stringify(points.value, null, 2))
const savePng = async (): Promise<void> => {
  await problems.catching(async () => {
    const { text, width, height } = chart.value!.toSvg()
    saveFile(name('png'), 'image/png', await svgToPng(text, width, height))
  })
}
</script>

<template>
  <MeasureNav :site="site" />
  <div class="bar head">
    <h1>{{ pageName }} as “{{ visitorName }}”, over time</h1>
    <span v-if="points && points.length > 0" class="bar" role="group" aria-label="Save">
      <v-btn size="small" @click="savePng">PNG</v-btn>
      <v-btn size="small" @click="saveCsv">CSV</v-btn>
      <v-btn size="small" @click="saveJson">JSON</v-btn>
    </span>
  </div>
  <p v-if="points && points.length === 0" class="muted">
    Not measured yet. Every measurement adds a point; a routine adds one every night.
  </p>
  <template v-else-if="points">
    <TrendChart ref="chart" :points="points" :versions="siteData.versions" />
    <h2>All measurements</h2>
    <div class="scroll">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">When</th>
            <th scope="col">Side</th>
            <th scope="col" class="num">Live version</th>
            <th scope="col" class="num">Main content</th>
            <th scope="col" class="num">First paint</th>
            <th scope="col" class="num">Loaded</th>
            <th scope="col" class="num">Requests</th>
            <th scope="col" class="num">Sent</th>
            <th scope="col" class="num">Runs</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="point in points.toReversed()" :key="point.measurementId + point.side">
            <th scope="row">
              <router-link
                :to="{ name: 'measurement', params: { siteId: site.id, measurementId: point.measurementId } }"
                :aria-label="`Measurement of ${when(point.at)}, ${sideName(point.side)}`"
                >{{ when(point.at) }}</router-link
              >
            </th>
            <td><SideTag :side="point.side" /></td>
            <td class="num">{{ point.liveVersion }}</td>
            <td class="num">
              <b>{{ seconds(point.medians.lcpMs) }}</b>
            </td>
            <td class="num">{{ seconds(point.medians.fcpMs) }}</td>
            <td class="num">{{ seconds(point.medians.loadedMs) }}</td>
            <td class="num">{{ whole(point.medians.requests) }}</td>
            <td class="num">{{ bytes(point.medians.sentBytes) }}</td>
            <td class="num">{{ point.lcpMs.length }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped>
.head {
  justify-content: space-between;
  margin-bottom: 0.6rem;
}
</style>
