<script setup lang="ts">
import { computed, defineAsyncComponent, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { remedyRows, type RemedyFacts, type ShownFor } from '../../core/audit/remedy-rows.ts'
import { REMEDIES } from '../../core/catalogue/remedies.ts'
import { measuredAlone } from '../../core/catalogue/measured-gain.ts'
import type { PageResult } from '../../core/contracts/measurements.ts'
import type { RemedyException } from '../../core/contracts/rewriting.ts'
import type { RemedyId, Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { when } from '../format/show.ts'
import { useBaseline } from '../measure/baseline.ts'
import ObjectCacheRow from '../remedies/ObjectCacheRow.vue'
import RemedyList from '../remedies/RemedyList.vue'
import WhatCannotBeFixed from '../remedies/WhatCannotBeFixed.vue'
import ChangesNotice from '../store/ChangesNotice.vue'
import ReadinessNote from '../store/ReadinessNote.vue'
import { useFindings } from '../stores/findings.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import TrialPanel from '../trial/TrialPanel.vue'
import NextStep from '../ui/NextStep.vue'
import WhenSeen from '../ui/WhenSeen.vue'

/** What to try, the trial, and its verdict: one list to work through, with everything about one remedy beside it. */
const props = defineProps<{ site: Site }>()

/** Loaded by who gets as far. */
const KeptPanel = defineAsyncComponent(() => import('../trial/KeptPanel.vue'))
const SafetyPanel = defineAsyncComponent(() => import('../trial/SafetyPanel.vue'))
const TrialVerdict = defineAsyncComponent(() => import('../trial/TrialVerdict.vue'))
const SessionsNotice = defineAsyncComponent(() => import('../remedies/SessionsNotice.vue'))
const PrivacyPanel = defineAsyncComponent(() => import('../remedies/PrivacyPanel.vue'))
const StartingPoints = defineAsyncComponent(() => import('../remedies/StartingPoints.vue'))
const RemedyDetail = defineAsyncComponent(() => import('../remedies/RemedyDetail.vue'))
const GeneralPanel = defineAsyncComponent(() => import('../remedies/GeneralPanel.vue'))
const PageChangesPanel = defineAsyncComponent(() => import('../remedies/PageChangesPanel.vue'))

const siteData = useSite()
const jobs = useJobs()
const problems = useProblems()
const findings = useFindings()
const trialChecks = useTrialChecks()
const route = useRoute()
const router = useRouter()
const { starting, start } = useBaseline(() => props.site)

const keptVersion = ref<number | null>(null)
const choosing = ref(false)
const changes = computed(() => siteData.trial?.changes ?? [])
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const entry = computed(() => siteData.ledger.find(({ id }) => id === siteData.trial?.openEntryId))

const loadFindings = (): Promise<unknown> => problems.catching(() => findings.load(props.site.id))
onMounted(loadFindings)
// What was measured, and what is live, is what findings rest on.
watch(() => [siteData.measurements.length, props.site.liveVersion], loadFindings)

const facts = computed((): RemedyFacts | null =>
  siteData.trial === null || findings.findings === null
    ? null
    : {
        findings: findings.findings,
        ledger: siteData.ledger,
        trial: siteData.trial.setup,
        live: siteData.liveVersion?.setup,
        traits: {
          secure: props.site.liveUrl.startsWith('https:'),
          otherAccelerator: props.site.check.findings.find(({ code }) => code === 'accelerator')?.sentence,
          measured: findings.findings.looks.length > 0,
        },
      },
)
/** Whom the ruler on top is about, so that all seconds on the screen are of the same visitor. */
const shownFor = computed((): ShownFor => {
  const { chosen } = siteData
  const [page] = props.site.sample
  const [visitor] = props.site.visitors
  return {
    pageId: chosen?.pageId ?? page?.id ?? '',
    path: chosen?.path ?? page?.path ?? '/',
    visitorId: chosen?.visitorId ?? visitor?.id ?? '',
    visitorName: chosen?.visitorName ?? visitor?.name ?? '',
  }
})

const opened = computed(() => REMEDIES.find(({ id }) => id === route.query['remedy'])?.id ?? null)
const rows = computed(() => (facts.value === null ? [] : remedyRows(facts.value, shownFor.value)))
const openedRow = computed(() => rows.value.find(({ remedy }) => remedy.id === opened.value))
const open = (id: RemedyId | null): void => {
  const { remedy: before, ...query } = route.query
  void router.replace({ query: id === null || id === before ? query : { ...query, remedy: id } })
  if (id === null) void nextTick(() => document.getElementById(`remedy-${String(before)}`)?.focus())
}

const save = async (setup: Setup): Promise<void> => {
  keptVersion.value = null
  await problems.catching(() => siteData.saveTrial(setup))
}
const withSetting = (id: RemedyId, part: object): Promise<void> | undefined => {
  const setup = siteData.trial?.setup
  if (setup === undefined) return undefined
  return save({ ...setup, remedies: { ...setup.remedies, [id]: { ...setup.remedies[id], ...part } } })
}
const leaveOut = (id: RemedyId, exception: RemedyException): Promise<void> | undefined => {
  const { exceptions } = siteData.trial?.setup.remedies[id] as { exceptions: RemedyException[] }
  return withSetting(id, { exceptions: [...exceptions, exception] })
}
const seekSlow = ({ pageId, visitorId }: PageResult): Promise<unknown> =>
  problems.catching(() => trialChecks.search({ pageId, visitorId, why: 'slower' }))
</script>

<template>
  <h1 class="visually-hidden">Remedies</h1>
  <NextStep
    v-if="findings.findings && findings.findings.looks.length === 0"
    sentence="Measure the site first: then each remedy below shows what is slow here and how many seconds it would save."
    action="Measure now"
    :under-way="starting"
    :disabled="busy"
    @go="start"
  >
    <v-btn :to="{ name: 'measure', params: { siteId: site.id } }">Choose what to measure …</v-btn>
  </NextStep>
  <ChangesNotice :site="site" />
  <SessionsNotice
    v-if="site.check.findings.some(({ code }) => code === 'sessions-everywhere')"
    :site="site"
    :disabled="busy"
  />
  <ReadinessNote :site="site" />
  <TrialPanel :site="site" @kept="(version) => (keptVersion = version)" />
  <KeptPanel v-if="keptVersion !== null" :site="site" :version="keptVersion" />
  <SafetyPanel
    v-if="changes.length > 0 || trialChecks.checks.length > 0"
    :site="site"
    :disabled="busy"
    :changed="changes.length > 0"
  />
  <TrialVerdict v-if="entry" :entry="entry" :at="when(entry.at)" :disabled="busy" @search="seekSlow" />
  <PrivacyPanel
    v-if="siteData.privacy && siteData.privacy.needed.length > 0"
    :state="siteData.privacy"
    :disabled="busy"
  />

  <div v-if="facts" class="work" :class="{ beside: openedRow }">
    <RemedyList
      :rows="rows"
      :findings="facts.findings"
      :shown-for="shownFor"
      :opened="opened"
      :disabled="busy"
      @open="open"
      @switch="(id, on) => withSetting(id, { enabled: on })"
    >
      <template #tools>
        <v-btn size="small" :disabled="busy" @click="choosing = true">Switch on several …</v-btn>
        <v-btn size="small" :to="{ name: 'guided', params: { siteId: site.id } }">Guided run</v-btn>
      </template>
      <template #below>
        <ObjectCacheRow :site="site" />
      </template>
    </RemedyList>
    <RemedyDetail
      v-if="openedRow"
      :site="site"
      :remedy="openedRow.remedy"
      :trial="facts.trial"
      :live="facts.live"
      :evidence="openedRow.evidence"
      :relations="openedRow.relations"
      :page="shownFor"
      :measured="measuredAlone(siteData.ledger, openedRow.remedy.name)"
      :disabled="busy"
      @change="save"
      @close="open(null)"
    />
  </div>
  <div v-else class="list-to-come panel muted" role="status">Reading the measurements …</div>

  <template v-if="facts">
    <WhatCannotBeFixed :limits="facts.findings.limits" />
    <StartingPoints v-if="choosing" v-model="choosing" :trial="facts.trial" @change="save" />
    <WhenSeen>
      <h2>For the whole site</h2>
      <div class="rest">
        <GeneralPanel :trial="facts.trial" :disabled="busy" @change="save" />
        <PageChangesPanel :site="site" :disabled="busy" @leave-out="leaveOut" />
      </div>
    </WhenSeen>
  </template>
</template>

<style scoped>
.work {
  display: grid;
  gap: 1rem;
  align-items: start;
  margin-top: 1rem;
}
.rest {
  display: grid;
  gap: 0.5rem;
}
/* About as high as the list that comes. */
.list-to-come {
  min-height: 60rem;
  margin-top: 1rem;
}
@media (min-width: 1001px) {
  .work.beside {
    grid-template-columns: minmax(0, 1fr) 400px;
  }
}
</style>
