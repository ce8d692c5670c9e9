<script setup lang="ts">
import ChangesNotice from '../store/ChangesNotice.vue'
import ReadinessNote from '../store/ReadinessNote.vue'
import SessionsNotice from '../remedies/SessionsNotice.vue'
import ActionButton from '../ui/ActionButton.vue'
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import type { PageResult } from '../../core/contracts/measurements.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Confirmation, Site } from '../../core/contracts/sites.ts'
import { REMEDIES } from '../../core/catalogue/catalogue.ts'
import type { AnyRemedy } from '../../core/catalogue/remedy.ts'
import type { RemedyId } from '../../core/contracts/setup.ts'
import ConfirmationTable from '../trial/LiveConfirmation.vue'
import LiveCheck from '../trial/LiveCheck.vue'
import GeneralPanel from '../remedies/GeneralPanel.vue'
import PrivacyPanel from '../remedies/PrivacyPanel.vue'
import PageChangesPanel from '../remedies/PageChangesPanel.vue'
import RemedyPanel from '../remedies/RemedyPanel.vue'
import SlowFindings from '../remedies/SlowFindings.vue'
import StartingPoints from '../remedies/StartingPoints.vue'
import ResultsTable from '../measure/ResultsTable.vue'
import RetestDialog from '../trial/RetestDialog.vue'
import type { MeasuredChoice } from '../measure/MeasurementChoice.vue'
import { measuredAlone } from '../../core/catalogue/measured-gain.ts'
import { relationsOf, type SiteTraits } from '../../core/catalogue/relations.ts'
import type { RemedyException } from '../../core/contracts/rewriting.ts'
import { useSite } from '../stores/site.ts'
import { useFindings } from '../stores/findings.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import SafetyDialog from '../trial/SafetyDialog.vue'
import SafetyPanel from '../trial/SafetyPanel.vue'
import SlowSearch from '../trial/SlowSearch.vue'
import { trialLink, when } from '../format/show.ts'
import ModalDialog from '../ui/ModalDialog.vue'

const props = defineProps<{ site: Site }>()
const siteData = useSite()
const jobs = useJobs()
const problems = useProblems()
const findings = useFindings()
const trialChecks = useTrialChecks()

const checking = ref(false)
const retesting = ref(false)
const keeping = ref(false)
const note = ref('')
const working = ref(false)
const confirmations = ref<Confirmation[] | null>(null)
const keptVersion = ref<number | null>(null)

const changes = computed(() => siteData.trial?.changes ?? [])
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const entry = computed(() => siteData.ledger.find(({ id }) => id === siteData.trial?.openEntryId))
const remedies = REMEDIES
/** In the usual order within each reach: what could break least comes first. */
const REACHES = [
  ['delivery', 'Delivery: headers and transport'],
  ['files', 'Files: smaller, in the same order'],
  ['page', 'Page: order or structure changes'],
] as const
const ofReach = (reach: AnyRemedy['reach']): AnyRemedy[] => remedies.filter((one) => one.reach === reach)
const traits = computed((): SiteTraits => ({
  secure: props.site.liveUrl.startsWith('https:'),
  otherAccelerator: props.site.check.findings.find(({ code }) => code === 'accelerator')?.sentence,
  measured: (findings.findings?.looks.length ?? 0) > 0,
}))
const panels = ref(new Map<string, { open: () => void }>())
const openRemedy = async (id: string): Promise<void> => {
  panels.value.get(id)?.open()
  await nextTick()
  const heading = document.getElementById(`remedy-${id}`)
  heading?.scrollIntoView({ block: 'start' })
  heading?.closest('article')?.querySelector<HTMLElement>('summary')?.focus({ preventScroll: true })
}
const loadFindings = (): Promise<unknown> => problems.catching(() => findings.load(props.site.id))
onMounted(loadFindings)
// What was measured, and what is live, is what findings rest on.
watch(() => [siteData.measurements.length, props.site.liveVersion], loadFindings)

const save = async (setup: Setup): Promise<void> => {
  confirmations.value = null
  keptVersion.value = null
  await problems.catching(() => siteData.saveTrial(setup))
}
const leaveOut = async (id: RemedyId, exception: RemedyException): Promise<void> => {
  const setup = siteData.trial?.setup
  if (setup === undefined) return
  const settings = setup.remedies[id] as { exceptions: RemedyException[] }
  await save({
    ...setup,
    remedies: { ...setup.remedies, [id]: { ...settings, exceptions: [...settings.exceptions, exception] } },
  })
}
const retest = async (choice: MeasuredChoice): Promise<void> => {
  retesting.value = false
  await problems.catching(() => siteData.measure({ sides: ['live', 'trial'], ...choice }))
}
const check = async (order: { pageIds: string[]; visitorIds: string[]; journeyIds: string[] }): Promise<void> => {
  checking.value = false
  await problems.catching(() => trialChecks.check(order))
}
const seekSlow = ({ pageId, visitorId }: PageResult): Promise<unknown> =>
  problems.catching(() => trialChecks.search({ pageId, visitorId, why: 'slower' }))
const keep = async (): Promise<void> => {
  working.value = true
  const version = await problems.catching(() => siteData.keep(note.value))
  working.value = false
  keeping.value = false
  if (version === undefined) return
  note.value = ''
  keptVersion.value = version.number
  const found = await problems.catching(() => siteData.confirm())
  if (found !== undefined) confirmations.value = found
}
const backOut = async (): Promise<void> => {
  await problems.catching(() => siteData.backOut())
}
</script>

<template>
  <h1 class="visually-hidden">Remedies</h1>
  <ChangesNotice :site="site" />
  <SessionsNotice :site="site" :disabled="jobs.openOf(site.id) !== undefined" />
  <ReadinessNote :site="site" />
  <section class="trial panel" aria-label="Trial">
    <div>
      <h2>Trial</h2>
      <p v-if="siteData.trial === null" class="muted" aria-busy="true">Loading the trial …</p>
      <p v-else-if="changes.length === 0">
        The trial is the same as live (version {{ siteData.trial.basedOn }}). Switch on one remedy at a time below; no
        visitor sees it.
      </p>
      <template v-else>
        <p>Changes from version {{ siteData.trial.basedOn }}, which visitors get:</p>
        <ul>
          <li v-for="change in changes" :key="change.sentence">{{ change.sentence }}</li>
        </ul>
      </template>
    </div>
    <div class="actions">
      <v-btn size="small" :href="site.liveUrl" target="_blank" rel="noopener">Open live</v-btn>
      <v-btn size="small" :href="trialLink(site)" target="_blank" rel="noopener">Open trial</v-btn>
      <v-btn size="small" :to="{ name: 'guided', params: { siteId: site.id } }">Guided run</v-btn>
      <v-btn :disabled="changes.length === 0 || busy" @click="checking = true">Check</v-btn>
      <v-btn
        color="primary"
        :variant="entry ? 'outlined' : 'flat'"
        :disabled="changes.length === 0 || busy"
        @click="retesting = true"
        >Retest</v-btn
      >
      <v-btn
        color="primary"
        :variant="entry ? 'flat' : 'outlined'"
        :disabled="changes.length === 0 || busy"
        @click="keeping = true"
        >Keep</v-btn
      >
      <v-btn :disabled="changes.length === 0 || busy" @click="backOut">Back out</v-btn>
    </div>
    <p v-if="busy" class="muted small wait">
      A measurement or check is under way, so the trial cannot be changed. Its progress is shown below.
    </p>
  </section>

  <section v-if="keptVersion !== null" class="panel kept" role="status">
    <strong>Visitors now get version {{ keptVersion }}.</strong>
    <p v-if="confirmations === null" class="muted">Checking live from outside, as a signed-out visitor …</p>
    <template v-else>
      <ConfirmationTable :confirmations="confirmations" />
      <LiveCheck :site="site" :paths="confirmations.map(({ path }) => path)" />
    </template>
  </section>

  <SafetyPanel :site="site" :disabled="busy" :changed="changes.length > 0" />

  <section v-if="entry" aria-label="Verdict">
    <h2>
      Verdict of the retest <span class="muted small">{{ when(entry.at) }}</span>
    </h2>
    <ResultsTable v-slot="{ result }" :results="entry.results">
      <SlowSearch :result="result" :disabled="busy" @search="seekSlow(result)" />
    </ResultsTable>
  </section>

  <PrivacyPanel
    v-if="siteData.privacy && siteData.privacy.needed.length > 0"
    :state="siteData.privacy"
    :disabled="busy"
  />

  <SlowFindings v-if="findings.findings" :site="site" :findings="findings.findings" @open="openRemedy" />
  <p v-else class="panel muted" role="status">Reading the measurements …</p>

  <template v-if="siteData.trial">
    <StartingPoints :trial="siteData.trial.setup" :disabled="busy" @change="save" />

    <h2>All remedies</h2>
    <template v-for="[reach, title] in REACHES" :key="reach">
      <h3 class="reach">{{ title }}</h3>
      <div class="list">
        <RemedyPanel
          v-for="remedy in ofReach(reach)"
          :key="remedy.id"
          :ref="(panel) => panel && panels.set(remedy.id, panel as InstanceType<typeof RemedyPanel>)"
          :site="site"
          :remedy="remedy"
          :trial="siteData.trial.setup"
          :live="siteData.liveVersion?.setup"
          :evidence="findings.byRemedy.get(remedy.id)"
          :relations="relationsOf(remedy.id, siteData.trial.setup, traits)"
          :measured="measuredAlone(siteData.ledger, remedy.name)"
          :disabled="busy"
          @change="save"
        />
      </div>
    </template>
    <div class="list rest">
      <GeneralPanel :trial="siteData.trial.setup" :disabled="busy" @change="save" />
      <PageChangesPanel :site="site" :disabled="busy" @leave-out="leaveOut" />
    </div>
  </template>

  <SafetyDialog v-model="checking" :site="site" @start="check" />
  <RetestDialog v-model="retesting" :site="site" @start="retest" />
  <ModalDialog v-model="keeping" :width="560" label="Keep the trial">
    <form class="panel dialog" @submit.prevent="keep">
      <h2>Keep: publish this for visitors</h2>
      <ul>
        <li v-for="change in changes" :key="change.sentence">{{ change.sentence }}</li>
      </ul>
      <p v-if="!entry">The trial has not been retested as it is now.</p>
      <p v-if="!trialChecks.currentCheck">The trial has not been checked as it is now, so pages may be broken.</p>
      <p v-else-if="trialChecks.currentCheck.result === 'broken'" class="broken">
        The safety check found a broken page. Find the cause first, or look at the page yourself.
      </p>
      <p class="muted small">You can return to any earlier version in the Ledger.</p>
      <v-text-field v-model="note" label="Note (optional)" maxlength="1000" />
      <div class="bar end">
        <v-btn type="button" @click="keeping = false">Cancel</v-btn>
        <ActionButton type="submit" color="primary" variant="flat" :under-way="working">Publish</ActionButton>
      </div>
    </form>
  </ModalDialog>
</template>

<style scoped>
.trial {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0.5rem 1.5rem;
  border-left: 4px solid rgb(var(--v-theme-trial));
}
.trial h2 {
  margin-top: 0;
}
.actions {
  display: flex;
  gap: 0.5rem;
  flex-wrap: wrap;
  align-items: center;
}
.wait {
  grid-column: 1 / -1;
  margin: 0;
}
.kept {
  margin-top: 1rem;
  border-left: 4px solid rgb(var(--v-theme-live));
}
.list {
  display: grid;
  gap: 0.5rem;
}
.reach {
  margin: 1rem 0 0.4rem;
}
.rest {
  margin-top: 1.2rem;
}
ul {
  padding-left: 1.2rem;
}
@media (max-width: 900px) {
  .trial {
    grid-template-columns: minmax(0, 1fr);
  }
}
.broken {
  color: rgb(var(--v-theme-error));
}
</style>
