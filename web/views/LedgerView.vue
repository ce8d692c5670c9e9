<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, ref } from 'vue'
import type { LedgerDecision } from '../../core/contracts/ledger.ts'
import type { Site, Version } from '../../core/contracts/sites.ts'
import { REMEDY_NAMES } from '../../core/catalogue/remedy-names.ts'
import { filterLedger } from '../../core/report/ledger-filter.ts'
import LedgerEntryItem from '../ledger/LedgerEntryItem.vue'
import SetupFiles from '../ledger/SetupFiles.vue'
import VersionCompare from '../ledger/VersionCompare.vue'
import { rulerScale } from '../ruler/scale.ts'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { measureAgain } from '../stores/setup-files.ts'
import { DECISION_NAMES } from '../format/decisions.ts'
import { when } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'
import ModalDialog from '../ui/ModalDialog.vue'

const props = defineProps<{ site: Site }>()
const siteData = useSite()
const problems = useProblems()
const target = ref<Version | null>(null)
const asking = ref(false)
const working = ref(false)

const jobs = useJobs()
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const words = ref<string | null>('')
const remedy = ref('any')
const decision = ref<LedgerDecision | 'any'>('any')
const remedies = [
  { value: 'any', title: 'any remedy' },
  ...Object.values(REMEDY_NAMES).map((name) => ({ value: name, title: name })),
]
const decisions = [
  { value: 'any', title: 'any decision' },
  ...Object.entries(DECISION_NAMES)
    .filter(([, title]) => title !== '')
    .map(([value, title]) => ({ value, title })),
]
const shown = computed(() =>
  filterLedger(siteData.ledger, { words: words.value ?? '', remedy: remedy.value, decision: decision.value }),
)
const again = (entryId: string): Promise<unknown> => problems.catching(() => measureAgain(props.site.id, entryId))
const scale = computed(() =>
  rulerScale(
    siteData.ledger.flatMap(({ results }) => results.flatMap(({ sides }) => sides.map(({ medians }) => medians.lcpMs))),
  ),
)
const ask = (version: Version): void => {
  target.value = version
  asking.value = true
}
const stepBack = async (): Promise<void> => {
  working.value = true
  await problems.catching(() => siteData.stepBack(target.value!.number))
  working.value = false
  asking.value = false
}
const verb = (version: Version): string => (version.number < props.site.liveVersion ? 'Step back to' : 'Go forward to')
</script>

<template>
  <h1 class="visually-hidden">Ledger</h1>
  <h2 class="first">Setup versions</h2>
  <div class="scroll">
    <table class="figures">
      <thead>
        <tr>
          <th scope="col">Version</th>
          <th scope="col">Published</th>
          <th scope="col">By</th>
          <th scope="col">Changes from the previous version</th>
          <th scope="col">Note</th>
          <th scope="col">Visitors</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="version in siteData.versions" :key="version.number">
          <th scope="row" class="num">Version {{ version.number }}</th>
          <td>{{ when(version.publishedAt) }}</td>
          <td>{{ version.publishedBy }}</td>
          <td>{{ version.changes.join(', ') || 'Nothing switched on' }}</td>
          <td>{{ version.note }}</td>
          <td>
            <strong v-if="version.live">what visitors get</strong>
            <v-btn v-else size="small" @click="ask(version)">{{ verb(version) }} {{ version.number }}</v-btn>
          </td>
        </tr>
      </tbody>
    </table>
  </div>

  <VersionCompare v-if="siteData.versions.length > 1" :key="siteData.versions.length" :versions="siteData.versions" />
  <SetupFiles :site="site" :versions="siteData.versions" :disabled="busy" />

  <div class="bar heading">
    <h2>Everything that was tried</h2>
    <v-btn size="small" :to="{ name: 'report', params: { siteId: site.id } }">Report for a client</v-btn>
  </div>
  <p v-if="siteData.ledger.length === 0" class="muted">Nothing yet.</p>
  <template v-else>
    <div class="filter" role="search" aria-label="Search entries">
      <v-text-field v-model="words" label="Words" clearable />
      <SelectField v-model="remedy" :items="remedies" label="Remedy" />
      <SelectField v-model="decision" :items="decisions" label="Decision" />
      <span class="muted small" role="status">{{ shown.length }} of {{ siteData.ledger.length }}</span>
    </div>
    <ol class="entries">
      <LedgerEntryItem
        v-for="entry in shown"
        :key="entry.id"
        :site="site"
        :entry="entry"
        :scale="scale"
        :disabled="busy"
        @measure-again="again(entry.id)"
      />
    </ol>
  </template>

  <ModalDialog v-model="asking" :width="520" label="Change the version visitors get">
    <div v-if="target" class="panel dialog">
      <h2 class="first">{{ verb(target) }} version {{ target.number }}?</h2>
      <p>
        Visitors get it at once. The store is emptied, and the trial is reset to it too. Version
        {{ site.liveVersion }} stays in the ledger.
      </p>
      <div class="bar end">
        <v-btn @click="asking = false">Cancel</v-btn>
        <ActionButton color="primary" variant="flat" :under-way="working" @click="stepBack"
          >{{ verb(target) }} version {{ target.number }}</ActionButton
        >
      </div>
    </div>
  </ModalDialog>
</template>

<style scoped>
.first {
  margin-top: 0;
}
.heading {
  margin-top: 1.4rem;
  justify-content: space-between;
}
.heading h2 {
  margin: 0;
}
.filter {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 220px 180px auto;
  gap: 0.6rem;
  align-items: center;
  margin: 0.6rem 0;
}
.entries {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.6rem;
}
@media (max-width: 760px) {
  .filter {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
