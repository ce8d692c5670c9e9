<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { Measurement, MeasurementHead } from '../../core/contracts/measurements.ts'
import { ObjectsState } from '../../core/contracts/objects.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { objectsWorth, type ObjectsWorth } from '../../core/objects/worth.ts'
import { callApi } from '../api/client.ts'
import { namedItems, pageName, seconds, when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'

/** What the object cache is worth: loads while it answers and while every read misses, in turn, with the owner's consent. */
const props = defineProps<{ site: Site; missingUntil: number | null }>()
const emit = defineEmits<{ decided: [state: ObjectsState] }>()
const problems = useProblems()
const jobs = useJobs()
const siteData = useSite()

const pageId = ref(props.site.sample[0]?.id ?? '')
/** Who is signed in gets no stored pages: there the object cache shows what it does. */
const visitorId = ref(
  (props.site.visitors.find(({ journeyId }) => journeyId !== null) ?? props.site.visitors[0])?.id ?? '',
)
const minutes = ref(5)
const agreed = ref(false)
const ordering = ref(false)
const measured = shallowRef<Measurement | null>(null)

const isSignedOut = computed(() => props.site.visitors.find(({ id }) => id === visitorId.value)?.journeyId === null)
const busy = computed(() => jobs.openOf(props.site.id))
const newest = computed(() => siteData.measurements.find(({ order }) => order.sides.includes('without-objects')))
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
const rows = computed(() => objectsWorth(measured.value?.results ?? []))
const decision = computed(
  () => siteData.ledger.find(({ measurementId }) => measurementId === measured.value?.id)?.decision ?? 'none',
)

const measure = async (): Promise<void> => {
  ordering.value = true
  const order = {
    pageIds: [pageId.value],
    visitorIds: [visitorId.value],
    missS: minutes.value * 60,
    readsMayMiss: true,
  }
  await problems.catching(async () => {
    await callApi('POST', `/sites/${props.site.id}/objects/measurements`, MeasurementHead, order)
    await siteData.refresh({ siteId: props.site.id, what: 'measurements' })
    agreed.value = false
  })
  ordering.value = false
}
const decide = async (made: 'kept' | 'switched-off'): Promise<void> => {
  const order = { measurementId: measured.value?.id, decision: made }
  const came = await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/objects/decisions`, ObjectsState, order),
  )
  if (came === undefined) return
  await siteData.refresh({ siteId: props.site.id, what: 'ledger' })
  emit('decided', came)
}

const inWords = ({ verdict, gain }: ObjectsWorth): string => {
  if (gain === null) return 'nothing was measured'
  const range = `${seconds(gain.low)} to ${seconds(gain.high)}, ${gain.pairs} pairs`
  switch (verdict) {
    case 'sooner':
      return `${seconds(gain.shift)} sooner (${range})`
    case 'later':
      return `${seconds(-gain.shift)} later (${range})`
    case 'no-difference':
      return `no measurable difference (${range})`
    case 'too-few':
      return `too few pairs to tell (${gain.pairs})`
  }
}
</script>

<template>
  <h2>What it is worth</h2>
  <p>
    Pages are loaded in turn: while the object cache answers, and in short windows in which every read misses, for all
    visitors. What is stored and removed meanwhile stays stored and removed.
  </p>
  <p v-if="missingUntil !== null" role="status">Right now reads miss, because it is being measured.</p>
  <div class="bar order">
    <SelectField
      v-model="pageId"
      :items="site.sample.map(({ id, path }) => ({ value: id, title: pageName(path) }))"
      label="Page"
      class="field"
    />
    <SelectField
      v-model="visitorId"
      :items="namedItems(site.visitors).map(({ id, title }) => ({ value: id, title }))"
      label="Visitor"
      class="field"
    />
    <SelectField
      v-model="minutes"
      :items="[2, 5, 10, 20].map((value) => ({ value, title: `${value} minutes` }))"
      label="Reads may miss for, in all"
      class="field"
    />
  </div>
  <p v-if="isSignedOut" class="small muted">
    This visitor is signed out: pages that are stored come from the store and show no difference. Give a visitor a
    journey that signs in, under
    <RouterLink :to="{ name: 'visitors', params: { siteId: site.id } }">Visitors</RouterLink>, to measure what signed-in
    visitors get.
  </p>
  <v-checkbox v-model="agreed" label="For this long, reads of all visitors may miss" />
  <div class="bar">
    <ActionButton
      color="primary"
      variant="flat"
      :disabled="!agreed || busy !== undefined"
      :under-way="ordering"
      @click="measure"
      >Measure what it is worth</ActionButton
    >
    <span v-if="busy" class="small muted">{{ busy.title }}: {{ busy.now }}</span>
  </div>
  <template v-if="measured && rows.length > 0">
    <p class="muted small measured">Measured {{ when(measured.createdAt) }}</p>
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Server wait with and without the object cache
        </caption>
        <thead>
          <tr>
            <th scope="col">Page as visitor</th>
            <th scope="col" class="num">Server wait, every read a miss</th>
            <th scope="col" class="num">Object cache answering</th>
            <th scope="col">First byte</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.path + row.visitorName">
            <td>{{ pageName(row.path) }} as “{{ row.visitorName }}”</td>
            <td class="num">{{ seconds(row.missingMs) }}</td>
            <td class="num">{{ seconds(row.answeringMs) }}</td>
            <td>
              <b>{{ inWords(row) }}</b>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-for="row in rows" :key="row.path + row.visitorName" class="small">Main content: {{ row.sentence }}</p>
    <div class="bar">
      <template v-if="decision === 'none'">
        <v-btn color="primary" variant="flat" @click="decide('kept')">Keep the object cache</v-btn>
        <v-btn @click="decide('switched-off')">Switch it off</v-btn>
      </template>
      <span v-else>{{
        decision === 'kept' ? 'Kept: the ledger says so.' : 'Switched off after this measurement.'
      }}</span>
      <RouterLink :to="{ name: 'measurement', params: { siteId: site.id, measurementId: measured.id } }"
        >All loads of this measurement</RouterLink
      >
    </div>
  </template>
</template>

<style scoped>
.order {
  align-items: flex-start;
}
.field {
  flex: 0 1 15rem;
}
.measured {
  margin: 1rem 0 0.2rem;
}
</style>
