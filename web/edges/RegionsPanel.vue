<script setup lang="ts">
import { computed, defineAsyncComponent, ref, shallowRef, watch } from 'vue'
import { z } from 'zod'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import type { Place } from '../../core/contracts/measuring.ts'
import { Audience, RegionChoice, RegionPlan, type Region } from '../../core/contracts/regions.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { readPriceList, writePriceList } from '../../core/formats/price-list.ts'
import { callApi } from '../api/client.ts'
import CostCurve from '../charts/CostCurve.vue'
import { fileName, saveFile } from '../export/save.ts'
import { namedItems, pageName, seconds, whole } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'
import WhenSeen from '../ui/WhenSeen.vue'
import PlaceFields from '../visitors/PlaceFields.vue'
import EdgeCosts from './EdgeCosts.vue'
import LoggedAudience from './LoggedAudience.vue'
import PriceTable from './PriceTable.vue'

/** Where edges are worth what they cost: visitors by place, prices, and the best set for a budget or a wait. */
const props = defineProps<{ site: Site; edges: readonly EdgeInfo[] }>()
const problems = useProblems()
const PlaceMap = defineAsyncComponent(() => import('../charts/PlaceMap.vue'))

const audience = ref<Audience[]>([])
const regions = ref<readonly Region[]>([])
const currency = ref('')
const visits = ref('')
const goal = ref<'budget' | 'wait'>('budget')
const budget = ref(50)
const waitS = ref(2.5)
const visitorId = ref(props.site.visitors[0]?.id ?? '')
const pageId = ref(props.site.sample[0]?.id ?? '')
const unread = ref<readonly string[]>([])
const choice = shallowRef<RegionChoice | null>(null)
const working = ref(false)
const loaded = ref(false)

const fill = (plan: RegionPlan): void => {
  audience.value = plan.audience.map((one) => ({ ...one }))
  regions.value = plan.regions
  currency.value = plan.currency
  visits.value = plan.visitsPerMonth === null ? '' : String(plan.visitsPerMonth)
  goal.value = plan.goal.kind
  if (plan.goal.kind === 'budget') budget.value = plan.goal.perMonth
  else waitS.value = plan.goal.ms / 1000
  visitorId.value = plan.visitorId ?? visitorId.value
  pageId.value = plan.pageId ?? pageId.value
}
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', `/sites/${props.site.id}/region-plan`, RegionPlan))
  if (came !== undefined) fill(came)
  loaded.value = true
}
watch(() => props.site.id, load, { immediate: true })

const plan = computed(() => ({
  currency: currency.value,
  regions: regions.value,
  audience: audience.value.map(({ place, share }) => ({ place: { ...place }, share: Number(share) })),
  visitsPerMonth: visits.value.trim() === '' ? null : Number(visits.value),
  goal:
    goal.value === 'budget'
      ? { kind: 'budget', perMonth: Number(budget.value) }
      : { kind: 'wait', ms: Number(waitS.value) * 1000 },
  visitorId: visitorId.value,
  pageId: pageId.value,
}))
watch(plan, () => (choice.value = null))
/** How often the price list was saved. */
const saved = ref(0)
const choose = async (): Promise<void> => {
  working.value = true
  const came = await problems.catching(async () => {
    await callApi('PUT', `/sites/${props.site.id}/region-plan`, RegionPlan, plan.value)
    saved.value++
    return callApi('POST', `/sites/${props.site.id}/region-choices`, RegionChoice, plan.value)
  })
  working.value = false
  if (came !== undefined) choice.value = came
}

/** Visitors, and where they can be served from. */
const onMap = computed(() => [
  ...(props.site.places.origin === null ? [] : [{ place: props.site.places.origin, kind: 'origin' as const }]),
  ...props.edges.flatMap(({ place }) => (place === null ? [] : [{ place, kind: 'edge' as const }])),
  ...regions.value.map(({ place }) => ({ place, kind: 'region' as const })),
  ...audience.value.map(({ place }) => ({ place, kind: 'visitor' as const })),
])
const countedWords = ref('')
/** Each edge stands for the visitors who are led to it, and home for the others. */
const takeCounted = async (): Promise<void> => {
  const counted = await problems.catching(() => callApi('GET', `/sites/${props.site.id}/audience`, z.array(Audience)))
  if (counted === undefined) return
  if (counted.length > 1) audience.value = counted.map((one) => ({ ...one }))
  countedWords.value =
    counted.length > 1
      ? `Requests counted at ${counted.length} places: each visitor counts where they were served.`
      : 'Nothing to go by yet: visitors are counted by place once edges with a known place serve them.'
}
const takeLogged = (logged: readonly Audience[]): void => {
  audience.value = logged.map((one) => ({ ...one }))
}
const addPlace = (): void => {
  audience.value.push({ place: { name: 'Here', latitude: 0, longitude: 0 }, share: 1 })
}
const setPlace = (at: number, place: Place | null): void => {
  if (place === null) audience.value.splice(at, 1)
  else audience.value.splice(at, 1, { place, share: audience.value[at]?.share ?? 1 })
}
const take = async (event: Event): Promise<void> => {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (file === undefined) return
  const read = readPriceList(await file.text())
  unread.value = read.problems
  if (read.regions.length > 0) regions.value = read.regions
  input.value = ''
}
const save = (): void =>
  saveFile(fileName([props.site.name, 'prices'], 'csv'), 'text/csv', writePriceList(regions.value))

const GOALS = [
  { value: 'budget', title: 'the fastest within a budget' },
  { value: 'wait', title: 'the cheapest that is fast enough' },
] as const
const total = computed(() => audience.value.reduce((sum, { share }) => sum + Number(share), 0))
const trafficWords = computed(() => {
  if (choice.value === null) return ''
  const { from, visits: count, requests, gb, hitShare } = choice.value.traffic
  return `Based on ${whole(count)} page visits a month (${from === 'counted' ? 'counted here' : 'your estimate'}), ${whole(requests)} requests and ${gb < 10 ? gb.toFixed(1) : whole(gb)} GB; ${Math.round(100 * hitShare)}% of them answered by the store.`
})
</script>

<template>
  <i v-if="!loaded" class="bone tall" role="status" aria-label="Loading" />
  <form v-else class="plan" @submit.prevent="choose">
    <h2>Where your visitors are</h2>
    <p class="small muted">Shares may be counts or percent; only how they compare matters.</p>
    <div v-for="(one, at) in audience" :key="at" class="row">
      <PlaceFields :model-value="one.place" label="Place" @update:model-value="(place) => setPlace(at, place)" />
      <v-text-field v-model="one.share" type="number" min="0" step="any" label="Share" />
      <span class="small muted share">{{ total > 0 ? Math.round((100 * Number(one.share)) / total) : 0 }}%</span>
    </div>
    <div class="bar">
      <v-btn size="small" @click="addPlace">Add a place</v-btn>
      <v-btn size="small" @click="takeCounted">Use what was counted</v-btn>
      <span role="status" class="small muted">{{ countedWords }}</span>
    </div>
    <LoggedAudience @counted="takeLogged" />

    <h2>What regions cost</h2>
    <PriceTable :site="site" :edges="edges" :regions="regions" :audience="audience" />
    <p v-if="regions.length === 0" class="muted">
      No prices yet. Read them from a file with the columns name, latitude, longitude, per_month, per_gb and
      per_million_requests; a price in steps reads “0.08 to 10000; 0.06”.
    </p>
    <NoteBox v-if="unread.length > 0" kind="warning">
      <p v-for="problem in unread" :key="problem">{{ problem }}</p>
    </NoteBox>
    <div class="bar">
      <label class="file">Price list (CSV) <input type="file" accept=".csv,text/csv" @change="take" /></label>
      <v-btn size="small" :disabled="regions.length === 0" @click="save">Save as CSV</v-btn>
      <v-text-field v-model="currency" label="Currency" class="short" hide-details />
    </div>

    <WhenSeen v-if="onMap.length > 0"><PlaceMap :places="onMap" /></WhenSeen>
    <EdgeCosts :site-id="site.id" :regions="saved" />

    <h2>What you want</h2>
    <div class="bar wanted">
      <SelectField v-model="goal" :items="GOALS" label="Choose" class="field" />
      <v-text-field
        v-if="goal === 'budget'"
        v-model="budget"
        type="number"
        min="0"
        step="any"
        label="At most, a month"
        class="short"
      />
      <v-text-field
        v-else
        v-model="waitS"
        type="number"
        min="0.1"
        step="0.1"
        label="Main content in every place after, s"
        class="short"
      />
      <SelectField
        v-model="pageId"
        :items="site.sample.map(({ id, path }) => ({ value: id, title: pageName(path) }))"
        label="Page"
        class="field"
      />
      <SelectField
        v-model="visitorId"
        :items="namedItems(site.visitors).map(({ id, title }) => ({ value: id, title }))"
        label="As visitor"
        class="field"
      />
      <v-text-field
        v-model="visits"
        type="number"
        min="0"
        label="Page visits a month"
        placeholder="as counted"
        class="short"
      />
    </div>
    <ActionButton type="submit" size="small" color="primary" variant="flat" :under-way="working"
      >Choose regions</ActionButton
    >
  </form>

  <section v-if="choice !== null" aria-label="The choice" class="choice">
    <p role="status">
      <b>{{ choice.sentence }}</b>
    </p>
    <p v-if="choice.method === 'greedy'" class="small muted">
      With more than 20 regions not every set is looked at: on average the best one could be up to
      {{ seconds(choice.gapMs) }} faster.
    </p>
    <CostCurve v-if="choice.curve.length > 1" :curve="choice.curve" :chosen="choice.chosen" :currency="currency" />
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Visitors by place, with the chosen regions
        </caption>
        <thead>
          <tr>
            <th scope="col">Visitors in</th>
            <th scope="col">Served from</th>
            <th scope="col" class="num">Distance adds</th>
            <th scope="col" class="num">Main content, from home</th>
            <th scope="col" class="num">With these regions</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in choice.places" :key="one.place.name + one.place.latitude">
            <th scope="row">{{ one.place.name }}</th>
            <td>{{ one.from }}</td>
            <td class="num">{{ Math.round(one.distanceMs) }} ms</td>
            <td class="num">{{ seconds(one.homeMs) }}</td>
            <td class="num">{{ seconds(one.ms) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="small muted">{{ trafficWords }} Seconds are predicted by the load model from the newest measured load.</p>
  </section>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: minmax(16rem, 34rem) 7rem 3rem;
  gap: 0.6rem;
  align-items: start;
  margin-bottom: 0.7rem;
}
.share {
  padding-top: 0.7rem;
}
.plan h2 {
  margin-top: 1.2rem;
}
.bar {
  margin: 0.6rem 0;
}
.file {
  display: inline-flex;
  gap: 0.5rem;
  align-items: center;
}
.short {
  flex: 0 1 10rem;
}
.field {
  flex: 0 1 17rem;
}
.wanted {
  align-items: flex-start;
}
.choice {
  margin-top: 1rem;
}
@media (max-width: 640px) {
  .row {
    grid-template-columns: 1fr;
  }
}
</style>
