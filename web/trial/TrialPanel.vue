<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'
import type { MeasuredChoice } from '../../core/measuring/first-choice.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { trialLink } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'

/** Loaded when somebody asks for them. */
const RetestDialog = defineAsyncComponent(() => import('./RetestDialog.vue'))
const KeepDialog = defineAsyncComponent(() => import('./KeepDialog.vue'))
const SafetyDialog = defineAsyncComponent(() => import('./SafetyDialog.vue'))

/** The trial: how it differs from live, and what can be done with it. */
const props = defineProps<{ site: Site }>()
const emit = defineEmits<{ kept: [version: number] }>()
const siteData = useSite()
const jobs = useJobs()
const problems = useProblems()
const trialChecks = useTrialChecks()

const checking = ref(false)
const retesting = ref(false)
const keeping = ref(false)

const changes = computed(() => siteData.trial?.changes ?? [])
const retested = computed(() => siteData.ledger.some(({ id }) => id === siteData.trial?.openEntryId))
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const idle = computed(() => changes.value.length === 0 || busy.value)

const retest = async (choice: MeasuredChoice): Promise<void> => {
  retesting.value = false
  await problems.catching(() => siteData.measure({ sides: ['live', 'trial'], ...choice }))
}
const check = async (order: { pageIds: string[]; visitorIds: string[]; journeyIds: string[] }): Promise<void> => {
  checking.value = false
  await problems.catching(() => trialChecks.check(order))
}
const backOut = async (): Promise<void> => {
  await problems.catching(() => siteData.backOut())
}
</script>

<template>
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
      <v-btn :disabled="idle" @click="checking = true">Check</v-btn>
      <v-btn color="primary" :variant="retested ? 'outlined' : 'flat'" :disabled="idle" @click="retesting = true"
        >Retest</v-btn
      >
      <v-btn color="primary" :variant="retested ? 'flat' : 'outlined'" :disabled="idle" @click="keeping = true"
        >Keep</v-btn
      >
      <v-btn :disabled="idle" @click="backOut">Back out</v-btn>
    </div>
    <p v-if="busy" class="muted small wait">
      A measurement or check is under way, so the trial cannot be changed. Its progress is shown below.
    </p>
  </section>

  <SafetyDialog v-if="checking" v-model="checking" :site="site" @start="check" />
  <RetestDialog v-if="retesting" v-model="retesting" :site="site" @start="retest" />
  <KeepDialog
    v-if="keeping"
    v-model="keeping"
    :changes="changes.map(({ sentence }) => sentence)"
    :retested="retested"
    @kept="(version: number) => emit('kept', version)"
  />
</template>

<style scoped>
.trial {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0.5rem 1.5rem;
  /* As high while it loads as when it says that nothing is changed. */
  min-height: 5.6rem;
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
ul {
  padding-left: 1.2rem;
}
@media (max-width: 900px) {
  .trial {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
