<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import { Measurement, MeasurementHead } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { nearestFor } from '../../core/edges/nearest-edge.ts'
import { callApi } from '../api/client.ts'
import { namedItems, pageName, when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'

/** What the edges are worth to a visitor far away: live from home and through the nearest edge, loaded in turn. */
const props = defineProps<{ site: Site; edges: readonly EdgeInfo[] }>()
const problems = useProblems()
const jobs = useJobs()
const siteData = useSite()

const placed = computed(() => props.site.visitors.filter(({ place }) => place !== null))
const pageId = ref(props.site.sample[0]?.id ?? '')
const visitorId = ref(placed.value[0]?.id ?? '')
watch(placed, (now) => {
  if (!now.some(({ id }) => id === visitorId.value)) visitorId.value = now[0]?.id ?? ''
})
const serving = computed(() => props.edges.filter(({ state }) => state === 'connected'))
const nearest = computed(() => {
  const visitor = props.site.visitors.find(({ id }) => id === visitorId.value)
  return visitor === undefined ? undefined : nearestFor(visitor.place, props.site.places.origin, serving.value)
})
const way = computed(() => {
  if (props.site.places.origin === null) return 'Say under Visitors where your server stands, and the distance counts.'
  if (nearest.value === undefined) return ''
  const ms = Math.round(nearest.value.distanceMs)
  return nearest.value.kind === 'edge'
    ? `Nearest is ${nearest.value.edge.name}: the distance adds ${ms} ms to each round trip.`
    : 'No edge is nearer to this visitor than home.'
})

const ordering = ref(false)
const busy = computed(() => jobs.openOf(props.site.id))
const measure = async (): Promise<void> => {
  ordering.value = true
  await problems.catching(async () => {
    await callApi('POST', `/sites/${props.site.id}/measurements`, MeasurementHead, {
      sides: ['live', 'through-edges'],
      pageIds: [pageId.value],
      visitorIds: [visitorId.value],
      runs: 10,
    })
    await siteData.refresh({ siteId: props.site.id, what: 'measurements' })
  })
  ordering.value = false
}

const newest = computed(() => siteData.measurements.find(({ order }) => order.sides.includes('through-edges')))
const measured = shallowRef<Measurement | null>(null)
watch(
  () => [newest.value?.id, newest.value?.state],
  async () => {
    const head = newest.value
    if (head?.state !== 'done') return
    const came = await problems.catching(() =>
      callApi('GET', `/sites/${props.site.id}/measurements/${head.id}`, Measurement),
    )
    if (came !== undefined) measured.value = came
  },
  { immediate: true },
)
</script>

<template>
  <h2>What they are worth</h2>
  <p v-if="placed.length === 0">
    No visitor has a place yet. Say under
    <RouterLink :to="{ name: 'visitors', params: { siteId: site.id } }">Visitors</RouterLink> where some of them are,
    and measure what an edge near them is worth.
  </p>
  <template v-else>
    <p>The page is loaded in turn from home and through the edge that is nearest to the visitor.</p>
    <div class="bar order">
      <SelectField
        v-model="pageId"
        :items="site.sample.map(({ id, path }) => ({ value: id, title: pageName(path) }))"
        label="Page"
        class="field"
      />
      <SelectField
        v-model="visitorId"
        :items="namedItems(placed).map(({ id, title }) => ({ value: id, title }))"
        label="Visitor"
        class="field"
      />
      <ActionButton
        color="primary"
        variant="flat"
        size="small"
        :disabled="busy !== undefined || nearest?.kind !== 'edge'"
        :under-way="ordering"
        @click="measure"
        >Measure home against the nearest edge</ActionButton
      >
    </div>
    <p class="small muted">{{ way }}</p>
    <p v-if="busy" class="small muted" role="status">{{ busy.title }}: {{ busy.now }}</p>
  </template>
  <template v-if="measured">
    <p class="muted small">Measured {{ when(measured.createdAt) }}</p>
    <ul class="results">
      <li v-for="result in measured.results" :key="result.path + result.visitorName">
        {{ result.verdict?.sentence ?? `${pageName(result.path)} as “${result.visitorName}”: too few loads to tell.` }}
      </li>
    </ul>
    <RouterLink :to="{ name: 'measurement', params: { siteId: site.id, measurementId: measured.id } }"
      >All loads of this measurement</RouterLink
    >
  </template>
</template>

<style scoped>
.order {
  align-items: center;
}
.field {
  flex: 0 1 15rem;
}
.results {
  margin: 0.2rem 0 0.4rem;
  padding-left: 1.1rem;
}
</style>
