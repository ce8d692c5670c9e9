<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Run } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { recordingOf } from '../../core/model/recording-from-run.ts'
import { MODEL_ERROR_PERCENT, simulateLoad } from '../../core/model/page-load.ts'
import { predictedVisitor } from '../../core/model/predicted-visitor.ts'
import { QUESTIONS } from '../../core/model/what-if-questions.ts'
import type { PredictedLoad } from '../../core/model/recording.ts'
import { changed, type WhatIf } from '../../core/model/what-if.ts'
import { rulerScale } from '../ruler/scale.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { seconds } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'

/** From this one load: what any visitor would see, and what a change would be worth, before it is made. */
const props = defineProps<{ run: Run; site: Site }>()

const visitors = computed(() => props.site.visitors.map(({ id, name }) => ({ value: id, title: name })))
const visitorId = ref(
  props.site.visitors.some(({ id }) => id === props.run.visitorId)
    ? props.run.visitorId
    : (props.site.visitors[0]?.id ?? ''),
)
const visitor = computed(() => props.site.visitors.find(({ id }) => id === visitorId.value))
const asked = ref<string[]>([])

const recording = computed(() => {
  const { metrics, requests, details, visitor: recorder } = props.run
  return metrics === null
    ? undefined
    : recordingOf({ metrics, requests, details }, predictedVisitor(recorder, props.site.places, 'included'))
})
const decoded = computed(() => new Map(props.run.requests.map(({ url, decodedBytes }) => [url, decodedBytes])))
const apply = (ids: readonly string[]): PredictedLoad | undefined => {
  if (recording.value === undefined || visitor.value === undefined) return undefined
  // Leaving out comes last: it renumbers what is left.
  const changes = QUESTIONS.filter(({ id }) => ids.includes(id))
    .map(({ change }) => change(recording.value!, decoded.value))
    .filter((change): change is WhatIf => change !== undefined)
  return simulateLoad(
    changes.reduce(changed, recording.value),
    predictedVisitor(visitor.value, props.site.places, 'on-top'),
  )
}
const now = computed(() => apply([]))
const then = computed(() => (asked.value.length === 0 ? undefined : apply(asked.value)))
const questions = computed(() =>
  recording.value === undefined
    ? []
    : QUESTIONS.filter(({ change }) => change(recording.value!, decoded.value) !== undefined).map((question) => {
        const alone = apply([question.id])
        const gain = now.value === undefined || alone === undefined ? null : now.value.lcpMs - alone.lcpMs
        return { ...question, gain }
      }),
)
const scale = computed(() => rulerScale([now.value?.lcpMs, then.value?.lcpMs]))
const FIGURES = [
  ['First paint', 'fcpMs'],
  ['Main content', 'lcpMs'],
  ['Fully loaded', 'loadedMs'],
] as const
</script>

<template>
  <p v-if="!recording" class="muted">There is no load to base a prediction on.</p>
  <div v-else class="prediction">
    <div>
      <SelectField v-model="visitorId" :items="visitors" label="Visitor to predict for" />
      <fieldset>
        <legend>If …</legend>
        <v-checkbox v-for="question in questions" :key="question.id" v-model="asked" :value="question.id">
          <template #label
            ><span>
              {{ question.text }}&nbsp;<span class="muted small">{{
                question.gain === null || Math.abs(question.gain) < 20
                  ? 'no gain alone'
                  : question.gain > 0
                    ? `${seconds(question.gain)} faster by itself`
                    : `${seconds(-question.gain)} slower by itself`
              }}</span></span
            >
          </template>
        </v-checkbox>
      </fieldset>
    </div>
    <div>
      <SecondsRuler
        :scale="scale"
        :others="[
          { side: 'archive', ms: now?.lcpMs ?? null, name: 'As it is' },
          { side: 'trial', ms: then?.lcpMs ?? null, name: 'As ticked' },
        ]"
        :floor-ms="run.visitorId === visitorId ? run.floorMs : null"
        about="Predicted time to the main content"
      />
      <table class="figures">
        <caption class="visually-hidden">
          Predicted times
        </caption>
        <thead>
          <tr>
            <th scope="col">Predicted</th>
            <th v-for="[name] in FIGURES" :key="name" scope="col" class="num">{{ name }}</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <th scope="row">Now</th>
            <td v-for="[name, key] in FIGURES" :key="name" class="num">{{ seconds(now?.[key]) }}</td>
          </tr>
          <tr v-if="then">
            <th scope="row">With the ticked changes</th>
            <td v-for="[name, key] in FIGURES" :key="name" class="num">
              <b>{{ seconds(then[key]) }}</b>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="small muted">
        Predicted by the load model from this load, not measured. Compared with real Chromium it is typically off by
        about {{ MODEL_ERROR_PERCENT }}%; a retest shows the real gain.
        <template v-if="!run.details"
          >This load has no record of the main thread, so time spent in scripts is missing.</template
        >
      </p>
    </div>
  </div>
</template>

<style scoped>
.prediction {
  display: grid;
  grid-template-columns: minmax(250px, 1fr) minmax(0, 2fr);
  gap: 1.4rem;
}
fieldset {
  border: 0;
  margin-top: 0.6rem;
  min-width: 0;
}
legend {
  font-weight: 650;
}
fieldset :deep(.v-selection-control) {
  min-height: 30px;
}
table {
  margin-top: 0.6rem;
}
@media (max-width: 760px) {
  .prediction {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
