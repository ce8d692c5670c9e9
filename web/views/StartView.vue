<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { lookAfter, startedFrom, STARTING_POINTS } from '../../core/catalogue/starting-points.ts'
import { DEFAULT_PAIRS, DEFAULT_RUNS } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { firstChoice } from '../../core/measuring/first-choice.ts'
import { SET_UP_STEPS, stepAfter, stepOf, type SetUpStep } from '../../core/setup/set-up-steps.ts'
import { pageName, seconds, trialLink } from '../format/show.ts'
import ResultsTable from '../measure/ResultsTable.vue'
import FindingList from '../site/FindingList.vue'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import { SAFETY_WORDS } from '../trial/result-words.ts'
import ActionButton from '../ui/ActionButton.vue'

/** For those who do not want to choose: the whole way, one question at a time. It can be left at any moment and goes on where it was. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()
const trialChecks = useTrialChecks()
const jobs = useJobs()
const problems = useProblems()
const route = useRoute()
const router = useRouter()

const working = ref(false)
const act = async (what: () => Promise<unknown>): Promise<boolean> => {
  working.value = true
  const done = await problems.catching(async () => {
    await what()
    return true
  })
  working.value = false
  return done === true
}
const job = computed(() => jobs.openOf(props.site.id))
const changes = computed(() => siteData.trial?.changes ?? [])
const entry = computed(() => siteData.ledger.find(({ id }) => id === siteData.trial?.openEntryId))
const check = computed(() => trialChecks.currentCheck)
const measured = computed(() => siteData.standings.filter(({ origin, live }) => (origin ?? live) !== null))

const asked = computed(() => SET_UP_STEPS.find(({ id }) => id === route.query['step'])?.id)
const step = computed((): SetUpStep => asked.value ?? 'found')
/** Who comes back goes on where they left; from then on only they move, so that nothing changes while it is read. */
watch(
  [() => siteData.loaded, asked],
  () => {
    if (!siteData.loaded || asked.value !== undefined) return
    const where = stepOf({
      measured: measured.value.length > 0,
      trialChanges: changes.value.length,
      checked: typeof check.value?.result === 'string',
      retested: entry.value !== undefined,
    })
    void router.replace({ query: { ...route.query, step: where } })
  },
  { immediate: true },
)
const at = computed(() => SET_UP_STEPS.findIndex(({ id }) => id === step.value))
const go = (to: SetUpStep | undefined): void => {
  if (to !== undefined) void router.push({ query: { ...route.query, step: to } })
}
const next = (): void => go(stepAfter(step.value))

const careful = computed({
  get: () => STARTING_POINTS.find(({ id }) => id === route.query['careful'])?.id ?? STARTING_POINTS[0]!.id,
  set: (id: string) => void router.replace({ query: { ...route.query, careful: id } }),
})
const point = computed(() => STARTING_POINTS.find(({ id }) => id === careful.value)!)

const home = computed(() => firstChoice(props.site, DEFAULT_RUNS))
const measure = (): Promise<boolean> => act(() => siteData.measure({ sides: ['origin'], ...home.value }))
const tryIt = async (): Promise<void> => {
  const setup = siteData.trial?.setup
  if (setup !== undefined && (await act(() => siteData.saveTrial(startedFrom(setup, point.value))))) next()
}
const compare = (): Promise<boolean> =>
  act(() =>
    trialChecks.check({
      pageIds: home.value.pageIds.slice(0, 1),
      visitorIds: home.value.visitorIds,
      journeyIds: [],
    }),
  )
const findCause = (): Promise<boolean> =>
  act(() => trialChecks.search({ pageId: home.value.pageIds[0]!, visitorId: home.value.visitorIds[0]!, why: 'broken' }))
const takeOut = async (): Promise<void> => {
  if (await act(() => siteData.backOut())) go('careful')
}
const retest = (): Promise<boolean> =>
  act(() =>
    siteData.measure({
      sides: ['live', 'trial'],
      ...firstChoice({ sample: props.site.sample.slice(0, 1), visitors: props.site.visitors }, DEFAULT_PAIRS),
    }),
  )
const published = ref<number | null>(null)
const publish = (): Promise<boolean> =>
  act(async () => {
    published.value = (await siteData.keep('')).number
  })
</script>

<template>
  <div class="head bar">
    <h1>Set-up guide</h1>
    <v-btn size="small" :to="{ name: 'today', params: { siteId: site.id } }">Leave the guide</v-btn>
  </div>
  <ol class="steps" aria-label="Steps of the guide">
    <li v-for="(one, index) in SET_UP_STEPS" :key="one.id" :class="{ past: index < at }">
      <button type="button" :aria-current="one.id === step ? 'step' : undefined" @click="go(one.id)">
        {{ index + 1 }}. {{ one.title }}
      </button>
    </li>
  </ol>

  <i v-if="asked === undefined" class="bone tall" role="status" aria-label="Loading" />
  <section v-else class="panel step" :aria-label="SET_UP_STEPS[at]!.title">
    <h2>{{ SET_UP_STEPS[at]!.question }}</h2>
    <p v-if="job" role="status" class="muted">
      {{ job.title }} is under way; its progress is shown below. You may leave this page meanwhile.
    </p>

    <template v-if="step === 'found'">
      <p>
        <b>{{ site.name }}</b> at {{ site.address }}. Your visitors get only what you publish.
      </p>
      <FindingList :findings="site.check.findings" />
      <div class="bar">
        <v-btn color="primary" variant="flat" @click="next">Yes, continue</v-btn>
        <v-btn :to="{ name: 'site', params: { siteId: site.id } }">Something is wrong: open Site</v-btn>
      </div>
    </template>

    <template v-else-if="step === 'careful'">
      <v-radio-group v-model="careful" hide-details aria-label="How far">
        <v-radio v-for="one in STARTING_POINTS" :key="one.id" :value="one.id">
          <template #label>
            <span
              ><b>{{ one.title }}</b> <span class="muted">{{ one.sentence }}</span></span
            >
          </template>
        </v-radio>
      </v-radio-group>
      <p class="small muted">You can go further later, one remedy at a time, and return to any earlier version.</p>
      <div class="bar"><v-btn color="primary" variant="flat" @click="next">Continue</v-btn></div>
    </template>

    <template v-else-if="step === 'measure'">
      <template v-if="measured.length > 0">
        <p v-for="one in measured" :key="one.pageId + one.visitorId">
          {{ pageName(one.path) }} as “{{ one.visitorName }}”: main content after
          <b>{{ seconds((one.live ?? one.origin)?.medians.lcpMs) }}</b>.
        </p>
        <div class="bar">
          <v-btn color="primary" variant="flat" :disabled="job !== undefined" @click="next">Continue</v-btn>
          <ActionButton :under-way="working" :disabled="job !== undefined" @click="measure">Measure again</ActionButton>
        </div>
      </template>
      <template v-else>
        <p>
          {{ home.pageIds.length }} pages as {{ site.visitors.map(({ name }) => `“${name}”`).join(' and ') }},
          {{ home.runs }} loads each, straight from your server (origin).
        </p>
        <ActionButton color="primary" variant="flat" :under-way="working" :disabled="job !== undefined" @click="measure"
          >Measure now</ActionButton
        >
      </template>
    </template>

    <template v-else-if="step === 'try'">
      <p>
        <b>{{ point.title }}.</b> {{ point.sentence }}
      </p>
      <dl>
        <template v-for="one in lookAfter(point)" :key="one.name">
          <dt>{{ one.name }}</dt>
          <dd class="muted">Check afterwards: {{ one.lookAt }}</dd>
        </template>
      </dl>
      <div class="bar">
        <ActionButton color="primary" variant="flat" :under-way="working" :disabled="job !== undefined" @click="tryIt"
          >Yes, try them</ActionButton
        >
        <v-btn @click="go('careful')">Choose differently</v-btn>
      </div>
    </template>

    <template v-else-if="step === 'look'">
      <p v-if="changes.length === 0">The trial is the same as live. Choose what to try first.</p>
      <p v-else>
        Open both, side by side; scroll, open the menu, fill the basket. Or let Zest Lamp compare the home page in a
        browser.
      </p>
      <p v-if="check?.result" role="status">
        <b>{{ SAFETY_WORDS[check.result] }}</b> The home page was compared with live.
      </p>
      <div class="bar">
        <v-btn :href="site.liveUrl" target="_blank" rel="noopener">Open live</v-btn>
        <v-btn :href="trialLink(site)" target="_blank" rel="noopener">Open trial</v-btn>
        <ActionButton :under-way="working" :disabled="job !== undefined || changes.length === 0" @click="compare"
          >Compare automatically</ActionButton
        >
      </div>
      <div class="bar">
        <v-btn color="primary" variant="flat" :disabled="changes.length === 0" @click="next">Yes, it does</v-btn>
        <ActionButton :under-way="working" :disabled="job !== undefined || changes.length === 0" @click="findCause"
          >No: find the cause</ActionButton
        >
        <ActionButton :under-way="working" :disabled="job !== undefined || changes.length === 0" @click="takeOut"
          >No: take everything out again</ActionButton
        >
      </div>
    </template>

    <template v-else>
      <p v-if="published !== null" role="status">
        <b>Visitors now get version {{ published }}.</b> You can return to any earlier version in the Ledger.
      </p>
      <p v-else-if="changes.length === 0">The trial is the same as live. Choose what to try first.</p>
      <template v-else-if="entry">
        <ResultsTable :results="entry.results" />
      </template>
      <p v-else>Live and trial are loaded in turn, so that a slow moment affects both.</p>
      <div v-if="published !== null" class="bar">
        <v-btn color="primary" variant="flat" :to="{ name: 'today', params: { siteId: site.id } }">To Today</v-btn>
        <v-btn :to="{ name: 'remedies', params: { siteId: site.id } }">Try more remedies</v-btn>
      </div>
      <div v-else class="bar">
        <ActionButton
          v-if="!entry"
          color="primary"
          variant="flat"
          :under-way="working"
          :disabled="job !== undefined || changes.length === 0"
          @click="retest"
          >Measure how much faster it is</ActionButton
        >
        <ActionButton
          v-else
          color="primary"
          variant="flat"
          :under-way="working"
          :disabled="job !== undefined"
          @click="publish"
          >Yes, publish it</ActionButton
        >
        <ActionButton :under-way="working" :disabled="job !== undefined || changes.length === 0" @click="takeOut"
          >No: take everything out again</ActionButton
        >
      </div>
    </template>
  </section>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.steps {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 1.4rem;
  margin: 0.4rem 0 1rem;
  padding: 0;
  list-style: none;
}
.steps button {
  padding: 0.3rem 0 !important;
  font: inherit;
  color: rgb(var(--v-theme-secondary));
  border-bottom: 3px solid transparent !important;
  cursor: pointer;
}
.steps .past button {
  color: inherit;
}
.steps button[aria-current] {
  font-weight: 650;
  color: inherit;
  border-bottom-color: rgb(var(--v-theme-trial)) !important;
}
.step {
  display: grid;
  gap: 0.7rem;
  min-height: 18rem;
  align-content: start;
}
.step h2 {
  margin: 0;
}
dl {
  display: grid;
  grid-template-columns: 14rem minmax(0, 1fr);
  gap: 0.2rem 1rem;
}
dt {
  font-weight: 600;
}
@media (max-width: 760px) {
  dl {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
