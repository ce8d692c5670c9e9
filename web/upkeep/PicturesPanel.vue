<script setup lang="ts">
import { computed, defineAsyncComponent, shallowRef, watch } from 'vue'
import { PictureLibrary, PicturePlan } from '../../core/contracts/picture-library.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { bytes, howMany, seconds, when } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import { useUpkeepWork } from './upkeep-work.ts'

/** The picture library of a site: found, made lighter, delivered or written back. */
const props = defineProps<{ site: Site }>()
const PicturePlanForm = defineAsyncComponent(() => import('./PicturePlanForm.vue'))
const PictureList = defineAsyncComponent(() => import('./PictureList.vue'))
const MediaFolder = defineAsyncComponent(() => import('./MediaFolder.vue'))
const problems = useProblems()
const library = shallowRef<PictureLibrary | null>(null)
/** Counts up when the list may have changed. */
const turn = shallowRef(0)
const path = (rest: string): string => `/sites/${props.site.id}/pictures${rest}`

const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', path(''), PictureLibrary))
  if (came === undefined) return
  library.value = came
  turn.value++
}
void load()
const { job, order, ordering } = useUpkeepWork(() => props.site.id, load, 'pictures')

const isConverting = computed(() => job.value?.kind === 'picture-conversion')

/** Figures and list follow the work, picture by picture. */
watch(
  () => job.value?.done,
  () => {
    if (isConverting.value) void load()
  },
)

const savePlan = async (plan: PicturePlan): Promise<void> => {
  const saved = await problems.catching(() => callApi('PUT', path('/plan'), PicturePlan, plan))
  if (saved !== undefined && library.value !== null) library.value = { ...library.value, plan: saved }
}
const total = computed(() => Object.values(library.value?.counts ?? {}).reduce((sum, one) => sum + one, 0))
const isPaused = computed(() => library.value?.plan.work === 'paused')
const percent = (before: number, after: number): string =>
  before === 0 ? '' : `${Math.round((100 * (before - after)) / before)}%`
const estimate = computed(() => {
  const known = library.value?.survey?.result?.estimate
  if (known === null || known === undefined || library.value?.lighter.before !== 0) return null
  return `${howMany(known.pictures, 'picture')} were tried: ${bytes(known.before)} that wait would become about ${bytes(known.after)} (95%: ${bytes(known.low)} to ${bytes(known.high)}).`
})
const lighterWords = computed(() => {
  const { counts, lighter } = library.value as PictureLibrary
  const pictures = howMany(counts.lighter ?? 0, 'picture')
  const { before, after } = lighter
  return before === 0
    ? pictures
    : `${pictures}: ${bytes(before)} became ${bytes(after)} (${percent(before, after)} less)`
})
const DELIVERED: Record<PictureLibrary['delivered'], string> = {
  live: 'Visitors get the lighter pictures.',
  trial: 'The trial sends the lighter pictures; keep it, and visitors get them.',
  off: 'Visitors do not get them yet. Switch on “Picture formats and sizes” in the trial, measure, and keep it.',
}
</script>

<template>
  <i v-if="library === null" class="bone tall" role="status" aria-label="Loading" />
  <template v-else>
    <p class="lead">
      Every picture is made as light as it gets while it still looks the same: the smallest file whose structural
      similarity stays above your bound. The originals are not touched.
    </p>
    <div class="bar">
      <ActionButton
        :color="total === 0 ? 'primary' : undefined"
        :variant="total === 0 ? 'flat' : 'outlined'"
        :disabled="job !== undefined"
        :under-way="ordering === 'survey'"
        @click="order('survey', 'surveys')"
      >
        {{ total === 0 ? 'Look for pictures' : 'Look again' }}
      </ActionButton>
      <ActionButton
        v-if="total > 0"
        color="primary"
        variant="flat"
        :disabled="job !== undefined || library.counts.found === 0"
        :under-way="ordering === 'conversion'"
        @click="order('conversion', 'conversions', { which: 'waiting' })"
      >
        Make {{ howMany(library.counts.found ?? 0, 'picture') }} lighter
      </ActionButton>
      <v-btn v-if="isConverting && !isPaused" @click="savePlan({ ...library.plan, work: 'paused' })">Pause</v-btn>
      <v-btn
        v-if="isPaused"
        color="primary"
        :variant="isConverting ? 'flat' : 'outlined'"
        @click="savePlan({ ...library.plan, work: 'running' })"
        >Continue</v-btn
      >
    </div>
    <p v-if="isPaused" role="status">Work on pictures is paused. It stays so until you continue it.</p>
    <p v-if="library.survey?.error" class="problem">{{ library.survey.error }}</p>
    <p v-if="total === 0 && library.survey?.result" role="status">
      No pictures were found on {{ howMany(library.survey.result.pages, 'page') }}. Connect the media folder below if
      there are any that pages do not show.
    </p>
    <template v-if="total > 0">
      <dl class="facts">
        <div>
          <dt>Library</dt>
          <dd>{{ howMany(total, 'picture') }}, {{ bytes(library.bytes) }}</dd>
          <dd class="muted small">
            Largest: {{ bytes(library.largest[0]?.bytes) }}, {{ library.largest[0]?.width }} ×
            {{ library.largest[0]?.height }}
          </dd>
        </div>
        <div>
          <dt>Made lighter</dt>
          <dd>
            {{ lighterWords }}
          </dd>
          <dd class="muted small">
            {{ library.counts['no-gain'] }} as light as they get, {{ library.counts['left-alone'] }} left alone,
            {{ library.counts['left-out'] }} left out by you, {{ library.counts.failed }} cannot be read
          </dd>
        </div>
      </dl>
      <p v-if="estimate">{{ estimate }}</p>
      <NoteBox v-if="(library.counts.lighter ?? 0) > 0" kind="info">
        {{ DELIVERED[library.delivered] }}
        <RouterLink v-if="library.delivered === 'off'" :to="{ name: 'remedies', query: { remedy: 'images' } }"
          >Open Remedies</RouterLink
        >
      </NoteBox>
      <PictureList :site="site" :turn="turn" @changed="load" />
      <section v-if="library.months.length > 0">
        <h2>Saved by month</h2>
        <div class="scroll" tabindex="0" role="group" aria-label="Saved by month">
          <table class="figures">
            <thead>
              <tr>
                <th scope="col">Month</th>
                <th scope="col" class="num">Pictures</th>
                <th scope="col" class="num">Before</th>
                <th scope="col" class="num">After</th>
                <th scope="col" class="num">Saved</th>
                <th scope="col" class="num">Main content, as measured last</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="one in library.months" :key="one.month">
                <td>{{ one.month }}</td>
                <td class="num">{{ one.pictures }}</td>
                <td class="num">{{ bytes(one.before) }}</td>
                <td class="num">{{ bytes(one.after) }}</td>
                <td class="num">{{ bytes(one.before - one.after) }}</td>
                <td class="num">{{ one.msMainContent === null ? 'not measured' : seconds(one.msMainContent) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
    </template>
    <details class="part">
      <summary>How pictures are made, and when</summary>
      <PicturePlanForm :plan="library.plan" @saved="savePlan" />
      <p v-if="total > library.counts.found!">
        <v-btn size="small" :disabled="job !== undefined" @click="order('again', 'conversions', { which: 'all' })"
          >Make all of them again by this</v-btn
        >
      </p>
    </details>
    <details class="part">
      <summary>Media folder, and pictures without anything in front</summary>
      <MediaFolder
        :site="site"
        :library="library"
        :busy="job !== undefined"
        :ordering="ordering"
        @placed="library = { ...library, place: $event }"
        @plan="savePlan"
        @place="order($event, 'placings', { how: $event })"
      />
    </details>
    <details v-if="library.survey?.result" class="part">
      <summary>Where it was looked, {{ when(library.survey.at) }}</summary>
      <ul>
        <li v-for="source in library.survey.result.sources" :key="source">{{ source }}</li>
        <li v-if="library.survey.result.gone > 0">
          {{ howMany(library.survey.result.gone, 'picture') }} were no longer there.
        </li>
      </ul>
    </details>
  </template>
</template>

<style scoped>
.lead {
  max-width: 52rem;
}
.bar {
  margin: 0.6rem 0;
}
.facts {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 20rem), 1fr));
  gap: 0.8rem 2rem;
  margin: 0.8rem 0;
}
dt {
  font-weight: 600;
}
dd {
  margin: 0;
}
.part {
  margin: 0.8rem 0;
}
.problem {
  color: rgb(var(--v-theme-error));
}
.scroll {
  overflow-x: auto;
}
</style>
