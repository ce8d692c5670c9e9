<script setup lang="ts">
import { computed, defineAsyncComponent, shallowRef, watch } from 'vue'
import type { DnsRecord } from '../../core/contracts/going-live.ts'
import { GoingLive, type GoingLiveStep, type GoingLiveStepId } from '../../core/contracts/going-live-steps.ts'
import { Job } from '../../core/contracts/jobs.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { writeZone } from '../../core/formats/zone-file.ts'
import { callApi } from '../api/client.ts'
import { fileName, saveFile } from '../export/save.ts'
import { when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import BackDoor from './BackDoor.vue'
import DnsPanel from './DnsPanel.vue'

/** Going live, step by step: each checks itself, can be left and taken up again, and leads back. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const jobs = useJobs()
const CertificatePanel = defineAsyncComponent(() => import('../site/CertificatePanel.vue'))
const AutomaticCertificatePanel = defineAsyncComponent(() => import('../site/AutomaticCertificatePanel.vue'))

const state = shallowRef<GoingLive | null>(null)
const path = computed(() => `/sites/${props.site.id}/going-live`)
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', path.value, GoingLive))
  if (came !== undefined) state.value = came
}
/** The newest check of all steps. */
const checking = computed(() => jobs.jobs.find(({ siteId, kind }) => siteId === props.site.id && kind === 'live-check'))
const working = computed(() => checking.value?.state === 'queued' || checking.value?.state === 'running')
watch([path, () => `${checking.value?.id} ${checking.value?.state}`], load, { immediate: true })
const check = async (): Promise<void> => {
  const job = await problems.catching(() => callApi('POST', `${path.value}/checks`, Job))
  if (job !== undefined) jobs.take(job)
}
const close = async (closedByHand: boolean): Promise<void> => {
  const came = await problems.catching(() => callApi('PUT', path.value, GoingLive, { closedByHand }))
  if (came !== undefined) state.value = came
}
const beginAgain = async (): Promise<void> => {
  await problems.catching(() => callApi('DELETE', path.value))
  await load()
}

const TITLES: Record<GoingLiveStepId, string> = {
  ready: 'Ready',
  certificate: 'Certificate',
  dns: 'DNS',
  proof: 'Proof from outside',
  'back-door': 'Close the back door',
  'way-back': 'Way back',
}
const IDS = Object.keys(TITLES) as GoingLiveStepId[]
const stepOf = (id: GoingLiveStepId): GoingLiveStep | undefined => state.value?.steps.find((one) => one.id === id)
const WORDS: Record<GoingLiveStep['state'], string> = { done: 'Done', open: 'Open', problem: 'Problem' }
const steps = computed(() =>
  IDS.map((id) => ({ id, title: TITLES[id], found: stepOf(id), word: WORDS[stepOf(id)?.state ?? 'open'] })),
)
const next = computed(() => steps.value.find(({ found }) => found?.state !== 'done')?.id)
const done = computed(() => steps.value.filter(({ found }) => found?.state === 'done').length)
const lineOf = ({ name, ttl, type, data }: DnsRecord): string => `${name} ${ttl} ${type} ${data}`
const save = (): void => {
  const before = state.value?.before
  if (before == null) return
  saveFile(fileName([before.zone, 'as-it-was'], 'zone'), 'text/plain', writeZone(before.records, before.zone))
}
/** One page: nothing but the records. */
const print = (): void => {
  document.documentElement.classList.add('only-records')
  window.addEventListener('afterprint', () => document.documentElement.classList.remove('only-records'), { once: true })
  window.print()
}
</script>

<template>
  <i v-if="state === null" class="bone tall" role="status" aria-label="Loading" />
  <template v-else>
    <div class="bar head">
      <ActionButton size="small" color="primary" variant="flat" :under-way="working" @click="check"
        >Check all steps</ActionButton
      >
      <span role="status" class="small muted">{{
        state.checkedAt === null
          ? 'Not checked yet. The check tests from outside and refreshes the home page.'
          : `${done} of ${steps.length} steps done, checked ${when(state.checkedAt)}`
      }}</span>
      <v-btn v-if="state.before !== null" size="small" variant="text" @click="beginAgain">Begin again</v-btn>
    </div>
    <ol class="steps">
      <li v-for="one in steps" :key="one.id" :class="one.found?.state ?? 'open'">
        <details :open="one.id === next">
          <summary>
            <b>{{ one.title }}</b> <span class="state">{{ one.word }}</span>
            <span v-if="one.found" class="sentence">{{ one.found.sentence }}</span>
          </summary>
          <div class="body">
            <ul v-if="one.found && one.found.evidence.length > 0">
              <li v-for="line in one.found.evidence" :key="line">{{ line }}</li>
            </ul>
            <template v-if="one.id === 'certificate'">
              <CertificatePanel :site="site" />
              <AutomaticCertificatePanel :site="site" />
            </template>
            <DnsPanel v-else-if="one.id === 'dns'" :site="site" :known="state.target" @planned="load" />
            <template v-else-if="one.id === 'proof'">
              <p v-if="!one.found" class="muted">
                Each address that visitors reach is asked as a signed-out visitor would: certificate, protocol, a stored
                page, and whether a change shows at once.
              </p>
            </template>
            <template v-else-if="one.id === 'back-door'">
              <BackDoor :site="site" :addresses="state.target?.addresses ?? null" />
              <v-checkbox
                :model-value="state.closedByHand"
                label="My server answers only Zest Lamp"
                hide-details
                @update:model-value="(value: unknown) => close(value === true)"
              />
            </template>
            <template v-else-if="one.id === 'way-back' && state.before !== null">
              <section class="printed" aria-label="Records as they were">
                <h3>{{ state.before.zone }}, as it was on {{ when(state.before.savedAt) }}</h3>
                <p>
                  To go back, enter these records again at your DNS provider, in place of those that point to Zest Lamp.
                  Visitors follow within the time to live.
                </p>
                <ul class="lines">
                  <li v-for="record in state.before.records" :key="lineOf(record)">
                    <code>{{ lineOf(record) }}</code>
                  </li>
                </ul>
              </section>
              <div class="bar no-print">
                <v-btn size="small" @click="print">Print</v-btn>
                <v-btn size="small" @click="save">Save as a zone file</v-btn>
              </div>
            </template>
          </div>
        </details>
      </li>
    </ol>
  </template>
</template>

<style scoped>
.head {
  margin: 0.6rem 0;
}
.steps {
  list-style: none;
  counter-reset: step;
  padding: 0;
  margin: 0;
  border-top: 1px solid rgb(var(--v-theme-line));
}
.steps > li {
  counter-increment: step;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}
summary {
  cursor: pointer;
  padding: 0.7rem 0;
}
summary b::before {
  content: counter(step) '. ';
}
.state {
  display: inline-block;
  margin: 0 0.8rem 0 0.5rem;
  padding: 0 0.5rem;
  border: 1px solid currentcolor;
  font-size: 0.85rem;
}
.done .state {
  background: rgb(var(--v-theme-primary));
  border-color: rgb(var(--v-theme-primary));
  color: rgb(var(--v-theme-on-primary));
}
.problem > details > summary .state {
  color: rgb(var(--v-theme-error));
}
.body {
  padding: 0 0 1rem 1.4rem;
}
.lines {
  list-style: none;
  padding: 0;
}
.lines code {
  overflow-wrap: anywhere;
}
</style>

<style>
@media print {
  .only-records body * {
    visibility: hidden;
  }
  .only-records .printed,
  .only-records .printed * {
    visibility: visible;
  }
  .only-records .printed {
    position: absolute;
    inset: 0 auto auto 0;
  }
}
</style>
