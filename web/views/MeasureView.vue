<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { DEFAULT_PAIRS, DEFAULT_RUNS } from '../../core/contracts/measurements.ts'
import type { Side } from '../../core/contracts/measuring.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { firstChoice, isComplete } from '../../core/measuring/first-choice.ts'
import { planRuns } from '../../core/measuring/plan.ts'
import { sideRank } from '../../core/measuring/sides.ts'
import ArchiveImport from '../measure/ArchiveImport.vue'
import MeasureNav from '../measure/MeasureNav.vue'
import MeasurementChoice from '../measure/MeasurementChoice.vue'
import SideTag from '../ui/SideTag.vue'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { when } from '../format/show.ts'

const props = defineProps<{ site: Site }>()
const siteData = useSite()
const jobs = useJobs()
const problems = useProblems()
const router = useRouter()

const SIDES: { side: Side; what: string }[] = [
  { side: 'origin', what: 'the site as its own server sends it' },
  { side: 'live', what: 'what visitors get now' },
  { side: 'trial', what: 'the setup you are trying' },
  { side: 'again', what: 'the same version twice: shows how much equal loads differ on this machine' },
]
const versions = ref<number[]>([])
const earlier = computed(() =>
  siteData.versions
    .filter(({ live }) => !live)
    .map(({ number, note }) => ({
      value: number,
      title: `Version ${number}${note === '' ? '' : `: ${note}`}`,
    })),
)
const sides = ref<Side[]>(['origin'])
const choice = ref(firstChoice(props.site, DEFAULT_RUNS))
const chosenSides = computed<Side[]>(() =>
  [...sides.value, ...versions.value.map((number): Side => `version-${number}`)].toSorted(
    (a, b) => sideRank(a) - sideRank(b),
  ),
)
const STOPS = { 'when-clear': 'as soon as it is clear', 'at-the-end': 'after all pairs' } as const
const stop = ref<keyof typeof STOPS>('when-clear')
watch(
  () => chosenSides.value.length > 1,
  (compares) =>
    (choice.value = {
      ...choice.value,
      runs: compares ? Math.max(choice.value.runs, DEFAULT_PAIRS) : DEFAULT_RUNS,
    }),
)
const order = computed(() => ({
  sides: chosenSides.value,
  ...choice.value,
  stop: stop.value,
}))
const loads = computed(() => planRuns(order.value).length)
const complete = computed(
  () =>
    isComplete(choice.value) &&
    chosenSides.value.length > 0 &&
    chosenSides.value.length <= 4 &&
    (!sides.value.includes('again') || chosenSides.value.length === 2),
)
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)

const start = async (): Promise<void> => {
  const head = await problems.catching(() => siteData.measure(order.value))
  if (head !== undefined)
    await router.push({ name: 'measurement', params: { siteId: props.site.id, measurementId: head.id } })
}
const STATES = {
  queued: 'waiting',
  running: 'under way',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
}
</script>

<template>
  <h1 class="visually-hidden">Measure</h1>
  <MeasureNav :site="site" />
  <form class="order panel" @submit.prevent="start">
    <fieldset>
      <legend>What to measure</legend>
      <v-checkbox v-for="{ side, what } in SIDES" :key="side" v-model="sides" :value="side">
        <template #label
          ><SideTag :side="side" />&nbsp;<span class="muted small">{{ what }}</span></template
        >
      </v-checkbox>
      <div v-if="earlier.length > 0" class="earlier" role="group" aria-label="Earlier versions" tabindex="0">
        <v-checkbox v-for="{ value, title } in earlier" :key="value" v-model="versions" :value="value" :label="title" />
      </div>
      <p class="muted small">Tick two to four; they are loaded in turn for a fair comparison.</p>
      <v-radio-group
        v-if="chosenSides.length > 1"
        v-model="stop"
        hide-details
        density="compact"
        label="The comparison ends"
      >
        <v-radio v-for="(title, value) in STOPS" :key="value" :value="value" :label="title" />
      </v-radio-group>
    </fieldset>
    <MeasurementChoice
      v-model="choice"
      :site="site"
      :runs-label="chosenSides.length > 1 ? 'Pairs at most' : 'Runs each'"
      runs-hint="One run is chance; a comparison needs six."
    >
      <div class="bar go">
        <v-btn type="submit" color="primary" variant="flat" :disabled="!complete || busy">Measure</v-btn>
        <span class="muted small">{{
          busy
            ? 'A measurement is under way, see below.'
            : `${chosenSides.length > 1 ? 'at most ' : ''}${loads} page loads`
        }}</span>
      </div>
    </MeasurementChoice>
  </form>

  <div class="bar list-head">
    <h2>Measurements</h2>
    <ArchiveImport :site="site" />
  </div>
  <p v-if="siteData.measurements.length === 0" class="muted">
    None yet. Start with your server (origin): everything else is compared with this baseline.
  </p>
  <div v-else class="scroll">
    <table class="figures">
      <thead>
        <tr>
          <th scope="col">When</th>
          <th scope="col">Sides</th>
          <th scope="col">Visit</th>
          <th scope="col" class="num">Pages</th>
          <th scope="col" class="num">Visitors</th>
          <th scope="col" class="num">Runs each</th>
          <th scope="col">Trial changed</th>
          <th scope="col">State</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="head in siteData.measurements" :key="head.id">
          <th scope="row">
            <router-link :to="{ name: 'measurement', params: { siteId: site.id, measurementId: head.id } }">{{
              when(head.createdAt)
            }}</router-link>
          </th>
          <td>
            <span class="bar"><SideTag v-for="side in head.order.sides" :key="side" :side="side" /></span>
          </td>
          <td>{{ head.order.visit }}</td>
          <td class="num">{{ head.order.pageIds.length }}</td>
          <td class="num">{{ head.order.visitorIds.length }}</td>
          <td class="num">{{ head.order.runs }}</td>
          <td class="small">{{ head.changes.join(', ') || '–' }}</td>
          <td :class="{ failed: head.state === 'failed' }">
            {{ STATES[head.state] }}<template v-if="head.source !== 'lab'">, {{ head.source }}</template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.order {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
  gap: 0.8rem 2rem;
}
.earlier {
  max-width: 300px;
  margin: 0.3rem 0 0.5rem;
}
.list-head {
  justify-content: space-between;
}
.go {
  margin-top: 0.8rem;
}
.failed {
  color: rgb(var(--v-theme-error));
}
fieldset :deep(.v-selection-control) {
  min-height: 30px;
}
</style>
