<script setup lang="ts">
import { computed } from 'vue'
import type { GuidedRun, GuidedStep } from '../../core/contracts/guided.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { remedyName } from '../../core/catalogue/remedy-names.ts'
import { suspectSentence } from '../../core/experiments/suspects.ts'
import ResultsTable from '../measure/ResultsTable.vue'
import { gainInWords, gainOf } from '../stores/findings.ts'
import { seconds, when } from '../format/show.ts'
import { DECISION_WORDS, SAFETY_WORDS } from './result-words.ts'

/** A guided run step by step: predicted beside measured, looked at, and what became of it. */
const props = defineProps<{ site: Site; run: GuidedRun }>()
const STATES: Record<GuidedRun['state'], string> = {
  queued: 'waiting for its turn',
  running: 'under way',
  paused: 'paused; what was kept is in trial',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled; what was kept is in trial',
}
const visitors = computed(() => props.site.visitors.filter(({ id }) => props.run.order.visitorIds.includes(id)))
const measured = ({ results }: GuidedStep, visitorId: string): string => {
  const gains = results
    .filter((one) => one.visitorId === visitorId)
    .map(({ verdict }) => verdict?.gains.lcpMs)
    .filter((gain) => gain !== undefined)
  if (gains.length === 0) return '–'
  return gains.map((gain) => `${seconds(gain.shift)} (${seconds(gain.low)} to ${seconds(gain.high)})`).join('; ')
}
</script>

<template>
  <section :aria-label="`Guided run of ${when(run.at)}`">
    <p class="state">
      <b>{{ STATES[run.state] }}</b>
      <span class="muted small">
        begun {{ when(run.at) }} by {{ run.by }}; {{ Math.round(run.progress.spentMs / 60_000) }} of
        {{ run.order.minutes }} min spent</span
      >
    </p>
    <p v-if="run.error" class="broken" role="alert">{{ run.error }}</p>
    <p v-if="run.progress.sentence" role="status">{{ run.progress.sentence }}</p>
    <div v-if="run.progress.steps.length > 0" class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          What was tried
        </caption>
        <thead>
          <tr>
            <th scope="col">Tried</th>
            <th v-for="visitor in visitors" :key="`p${visitor.id}`" scope="col" class="num">
              Predicted, {{ visitor.name }}
            </th>
            <th v-for="visitor in visitors" :key="`m${visitor.id}`" scope="col" class="num">
              Measured, {{ visitor.name }}
            </th>
            <th scope="col">Check</th>
            <th scope="col" class="became">Result</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(step, index) in run.progress.steps" :key="index">
            <th scope="row">
              {{ step.remedies.map(remedyName).join(', ')
              }}<template v-if="step.remedies.length > 1"> together</template>
            </th>
            <td v-for="visitor in visitors" :key="`p${visitor.id}`" class="num">
              {{ gainInWords(gainOf(step.predicted, visitor.id, 'lcpMs')) }}
            </td>
            <td v-for="visitor in visitors" :key="`m${visitor.id}`" class="num">
              <router-link
                v-if="step.measurementId && step.results.length > 0"
                :to="{ name: 'measurement', params: { siteId: site.id, measurementId: step.measurementId } }"
                >{{ measured(step, visitor.id) }}</router-link><template v-else>–</template>
            </td>
            <td>
              <router-link
                v-if="step.safetyCheckId && step.safety"
                :to="{ name: 'safety', params: { siteId: site.id, checkId: step.safetyCheckId } }"
                >{{ SAFETY_WORDS[step.safety] }}</router-link><template v-else>–</template>
            </td>
            <td>
              <template v-if="step.decision">
                <b>{{ DECISION_WORDS[step.decision] }}.</b>
                {{ step.sentence === 'No measurable difference.' ? '' : step.sentence }}
              </template>
              <template v-else>{{ run.state === 'running' ? 'under way' : 'not finished' }}</template>
              <ul v-if="step.exceptions.length > 0">
                <li v-for="one in step.exceptions" :key="suspectSentence(one)">
                  Left out <code>{{ suspectSentence(one) }}</code>
                </li>
              </ul>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <template v-if="run.progress.final && run.progress.final.results.length > 0">
      <h3 class="whole">
        The result, measured against your server (origin) and live
        <router-link
          v-if="run.progress.final.safetyCheckId && run.progress.final.safety"
          class="small"
          :to="{ name: 'safety', params: { siteId: site.id, checkId: run.progress.final.safetyCheckId } }"
          >{{ SAFETY_WORDS[run.progress.final.safety] }}</router-link
        >
      </h3>
      <ResultsTable :results="run.progress.final.results" />
    </template>
  </section>
</template>

<style scoped>
.state {
  display: flex;
  gap: 0.3rem 1rem;
  flex-wrap: wrap;
  align-items: baseline;
  max-width: none;
}
.became {
  min-width: 15rem;
  width: 40%;
}
.whole {
  margin: 1rem 0 0.4rem;
}
.broken {
  color: rgb(var(--v-theme-error));
}
</style>
