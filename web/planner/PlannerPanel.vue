<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import { Trial } from '../../core/contracts/ledger.ts'
import { PlannerFacts, type PlanFigures, type PlanSettings } from '../../core/contracts/planner.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { PlanPoint, Simulated } from '../../core/contracts/simulations.ts'
import { usualBounds, usualOldestS } from '../../core/planner/first-plan.ts'
import { keepsBounds } from '../../core/planner/plan-search.ts'
import type { PlannedCase } from '../../core/planner/plan-trials.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import { proposalInWords } from './plan-words.ts'
import PlanCurve from './PlanCurve.vue'
import PlanFiguresTable from './PlanFiguresTable.vue'
import PlanLifetimes from './PlanLifetimes.vue'
import PlanSearch from './PlanSearch.vue'
import PlanTraffic from './PlanTraffic.vue'
import PlanWarmUp from './PlanWarmUp.vue'
import { Cancelled, PlannerClient } from './planner-client.ts'
import { progressing, type Progress } from './progress.ts'
import SavedPlanNote from './SavedPlanNote.vue'

/** Which lifetimes and which warm-up suit the site: tried on its own traffic, before any visitor gets them. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const siteData = useSite()

const facts = shallowRef<PlannerFacts | null>(null)
const plan = shallowRef<PlanSettings | null>(null)
const changes = shallowRef<readonly number[]>([])
const source = ref<'counted' | 'log' | 'assumed'>('counted')
const visitsPerDay = ref(2000)
const exponent = ref(0.75)
const log = shallowRef<{ lines: number; visits: number; days: number } | 'empty' | null>(null)
/** What came of the settings and visits that were tried last; those that are set may be others by now. */
const figures = shallowRef<{
  now: PlanFigures
  plan: PlanFigures
  simulated: Simulated
  of: PlanSettings
  on: PlannedCase
} | null>(null)
const underWay = ref<'nothing' | 'trying' | 'reading' | 'searching' | 'saving'>('nothing')
const progress = shallowRef<Progress | null>(null)
const reading = shallowRef<Progress | null>(null)
const points = shallowRef<readonly PlanPoint[]>([])
const proposal = ref('')
const originPerDay = ref(0)
const oldestS = ref(0)

let client: PlannerClient | undefined
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', `/sites/${props.site.id}/planner`, PlannerFacts))
  if (came === undefined) return
  client?.cancel()
  client = new PlannerClient(came)
  facts.value = came
  plan.value = came.first
  changes.value = came.kinds.map(({ changesPerDay }) => changesPerDay)
  source.value = came.counted.from === 'nothing' ? 'assumed' : 'counted'
  oldestS.value = usualOldestS(came)
}
void load()
onBeforeUnmount(() => client?.cancel())

const on = computed<PlannedCase | null>(() => {
  const changesPerDay = changes.value
  switch (source.value) {
    case 'log':
      return log.value === null || log.value === 'empty' ? null : { traffic: { kind: 'log' }, changesPerDay }
    case 'assumed':
      return {
        traffic: { kind: 'assumed', visitsPerDay: visitsPerDay.value, exponent: exponent.value },
        changesPerDay,
      }
    default:
      return { traffic: { kind: 'counted' }, changesPerDay }
  }
})

/** Work of the simulation; that it was cancelled is no problem to show. */
const simulating = async (
  what: 'trying' | 'reading' | 'searching',
  work: (it: PlannerClient) => Promise<void>,
): Promise<void> => {
  const simulation = client
  if (simulation === undefined) return
  underWay.value = what
  await problems.catching(() =>
    work(simulation).catch((error: unknown) => {
      if (!(error instanceof Cancelled)) throw error
    }),
  )
  if (underWay.value === what) underWay.value = 'nothing'
}

const attempt = (): Promise<void> => {
  const [wanted, where, known] = [plan.value, on.value, facts.value]
  if (wanted === null || where === null || known === null || underWay.value === 'searching') return Promise.resolve()
  return simulating('trying', async (simulation) => {
    const { figures: came, simulated } = await simulation.try(where, [known.now, wanted])
    const [forNow, forPlan] = came
    if (forNow === undefined || forPlan === undefined || plan.value !== wanted) return
    figures.value = { now: forNow, plan: forPlan, simulated, of: wanted, on: where }
    if (originPerDay.value === 0) originPerDay.value = usualBounds(known, forNow).originPerDay
  })
}
/** Settings that are typed one after the other are tried once. */
const SOON_MS = 250
let soon = 0
watch([plan, on], () => {
  window.clearTimeout(soon)
  soon = window.setTimeout(() => void attempt(), SOON_MS)
})
onBeforeUnmount(() => window.clearTimeout(soon))
/** With other visits or changes every point is another one. */
watch(on, () => {
  points.value = []
  proposal.value = ''
  originPerDay.value = 0
})

const search = async (): Promise<void> => {
  const where = on.value
  if (where === null) return
  const bounds = { originPerDay: originPerDay.value, oldestS: oldestS.value }
  const onStep = progressing((now) => (progress.value = now))
  await simulating('searching', async (simulation) => {
    const { points: tried, best } = await simulation.search(where, bounds, onStep)
    points.value = tried
    const kept = tried.filter((point) => keepsBounds(point.figures, bounds)).length
    const least = Math.min(...tried.map((point) => point.figures.originPerDay))
    proposal.value = proposalInWords({ tried: tried.length, kept, least })
    underWay.value = 'nothing'
    if (best !== null) plan.value = best.settings
  })
  progress.value = null
}

const readLog = async (file: File): Promise<void> => {
  const onStep = progressing((now) => (reading.value = now))
  await simulating('reading', async (simulation) => {
    log.value = (await simulation.readLog(file, onStep)) ?? 'empty'
  })
  reading.value = null
}

const isTried = computed(() => figures.value?.of === plan.value && figures.value?.on === on.value)
const isAsNow = computed(() => facts.value !== null && JSON.stringify(plan.value) === JSON.stringify(facts.value.first))
const put = async (): Promise<void> => {
  if (plan.value === null || figures.value === null) return
  underWay.value = 'saving'
  const order = { settings: plan.value, predicted: figures.value.plan }
  await problems.catching(async () => {
    await callApi('POST', `/sites/${props.site.id}/planner/plans`, Trial, order)
    await siteData.refresh({ siteId: props.site.id, what: 'trial' })
    const came = await callApi('GET', `/sites/${props.site.id}/planner`, PlannerFacts)
    if (facts.value !== null) facts.value = { ...facts.value, plan: came.plan }
  })
  underWay.value = 'nothing'
}
</script>

<template>
  <i v-if="!facts || !plan" class="bone tall" role="status" aria-label="Loading" />
  <template v-else>
    <p class="intro">
      Which lifetimes and which warm-up suit this site? They are tried here on visits as the site gets them, before any
      visitor is served by them.
    </p>
    <SavedPlanNote v-if="facts.plan" :plan="facts.plan" :site-id="site.id" />
    <PlanTraffic
      v-model:source="source"
      v-model:visits-per-day="visitsPerDay"
      v-model:exponent="exponent"
      :facts="facts"
      :log="log"
      :reading="reading"
      @log="readLog"
      @cancel="client?.cancel()"
    />
    <NoteBox v-if="facts.longestUntoldS !== null" kind="warning">
      Nothing tells Zest Lamp of changes yet, so pages are kept for {{ roughlyInWords(facts.longestUntoldS) }} at most.
      With content events, set up under Site, they can be kept for longer.
    </NoteBox>
    <div class="scroll">
      <PlanLifetimes
        v-model:plan="plan"
        v-model:changes="changes"
        :facts="facts"
        :visits="figures?.simulated.perKind ?? null"
      />
    </div>
    <PlanWarmUp v-model:plan="plan" />
    <PlanFiguresTable
      v-if="figures"
      :now="figures.now"
      :plan="figures.plan"
      :simulated="figures.simulated"
      :outdated="!isTried"
    />
    <i v-else-if="on" class="bone tall" role="status" aria-label="Simulating" />
    <div class="bar">
      <ActionButton
        color="primary"
        variant="flat"
        :disabled="!isTried || underWay !== 'nothing' || isAsNow"
        :under-way="underWay === 'saving'"
        @click="put"
        >Put the plan into the trial</ActionButton
      >
    </div>
    <PlanSearch
      v-model:origin-per-day="originPerDay"
      v-model:oldest-s="oldestS"
      :disabled="!isTried || underWay === 'saving'"
      :progress="progress"
      :proposal="proposal"
      @search="search"
      @cancel="client?.cancel()"
    />
    <PlanCurve
      v-if="points.length > 0 && figures"
      :points="points"
      :now="figures.now"
      :plan="figures.plan"
      :bound="originPerDay"
      @pick="(point) => (plan = point.settings)"
    />
  </template>
</template>

<style scoped>
.intro {
  max-width: none;
}
</style>
