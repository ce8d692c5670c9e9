<script setup lang="ts">
import { computed } from 'vue'
import type { PageResult, PageVerdict } from '../../core/contracts/measurements.ts'
import { headline } from '../../core/measuring/headline.ts'
import LcpLegend from '../charts/LcpLegend.vue'
import LcpPhases from '../charts/LcpPhases.vue'
import { rulerScale, type RulerScale } from '../ruler/scale.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { bytes, seconds, sideLook, whole } from '../format/show.ts'
import RunDots from '../charts/RunDots.vue'
import SideTag from '../ui/SideTag.vue'

/** Medians and verdict of each page as each visitor, on one scale. The slot is what may be done about a verdict. */
const props = defineProps<{ results: readonly PageResult[]; scale?: RulerScale }>()
defineSlots<{ default?: (of: { result: PageResult }) => unknown }>()

const own = computed(
  () => props.scale ?? rulerScale(props.results.flatMap(({ sides }) => sides.flatMap(({ values }) => values.lcpMs))),
)
const summary = computed(() => (props.results.length > 1 ? headline(props.results) : []))
const ENDED = {
  clear: 'stopped early: the result was clear',
  equal: 'stopped early: any difference is small',
  maximum: 'went to the most pairs',
} as const
const NOISE = {
  'same-against-same': 'by the last measurement of the same against the same',
  repeats: 'by the repeats of this measurement',
} as const
/** The words of a sentence that carry the verdict; they are set bold. */
const lead = ({ sentence }: PageVerdict): string => /^[^,:.]+(?:\.\d+ s)?/.exec(sentence)?.[0] ?? ''
</script>

<template>
  <p v-if="results.some(({ sides }) => sides.some(({ lcpPhases }) => lcpPhases))" class="muted small legend">
    <LcpLegend /> Each dot is a run; a ring marks one far from the rest.
  </p>
  <p v-for="sentence in summary" :key="sentence" class="headline">{{ sentence }}</p>
  <div v-for="result in results" :key="result.visitorId + result.pageId" class="result">
    <h3>
      {{ result.path === '/' ? 'Home page' : result.path }}
      <span class="muted">as “{{ result.visitorName }}”</span>
    </h3>
    <p v-if="result.verdict" class="verdict" :class="{ broken: result.verdict.kind === 'broken' }">
      <strong>{{ lead(result.verdict) }}</strong>{{ result.verdict.sentence.slice(lead(result.verdict).length) }}
    </p>
    <slot :result="result" />
    <p v-for="other in result.otherVerdicts" :key="other.from" class="verdict small">
      <SideTag :side="other.from" /> to <SideTag :side="other.to" />: {{ other.sentence }}
    </p>
    <p v-if="result.verdict && result.noise" class="muted small noise">
      Noise of this machine: two loads of the same page typically differ by {{ seconds(result.noise.lcpMs) }},
      {{ NOISE[result.noise.from] }}.
      <template v-if="result.verdict.gains.lcpMs">
        {{ result.verdict.gains.lcpMs.pairs }} pairs<template v-if="result.verdict.ended"
          >; {{ ENDED[result.verdict.ended] }}</template
        >.
      </template>
    </p>
    <div class="scroll" tabindex="0">
      <table class="figures">
        <caption class="visually-hidden">
          Medians of
          {{
            result.path
          }}
          as “{{
            result.visitorName
          }}”
        </caption>
        <thead>
          <tr>
            <th scope="col">Side</th>
            <th scope="col" class="num">Main content</th>
            <th scope="col" class="wide">Each run on the ruler</th>
            <th scope="col" class="num">First paint</th>
            <th scope="col" class="num">Fully loaded</th>
            <th scope="col" class="num">Server wait</th>
            <th scope="col" class="num">Shift (CLS)</th>
            <th scope="col" class="num">Requests</th>
            <th scope="col" class="num">Sent</th>
            <th scope="col" class="num">Runs</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="side in result.sides" :key="side.side">
            <th scope="row"><SideTag :side="side.side" /></th>
            <td class="num">
              <b>{{ seconds(side.medians.lcpMs) }}</b>
            </td>
            <td class="wide">
              <SecondsRuler
                compact
                :scale="own"
                :[sideLook(side.side)]="side.medians.lcpMs"
                :others="sideLook(side.side) === 'other' ? [{ side: side.side, ms: side.medians.lcpMs }] : []"
                :floor-ms="result.floorMs"
                :about="`Time to the main content, ${side.side}`"
              />
              <RunDots :values="side.values.lcpMs" :scale="own" :side="side.side" />
              <LcpPhases v-if="side.lcpPhases" :phases="side.lcpPhases" :scale="own" />
            </td>
            <td class="num">{{ seconds(side.medians.fcpMs) }}</td>
            <td class="num">{{ seconds(side.medians.loadedMs) }}</td>
            <td class="num">{{ seconds(side.medians.ttfbMs) }}</td>
            <td class="num">{{ side.medians.cls === null ? '–' : side.medians.cls.toFixed(2) }}</td>
            <td class="num">{{ whole(side.medians.requests) }}</td>
            <td class="num">{{ bytes(side.medians.sentBytes) }}</td>
            <td class="num">
              {{ side.runs }}<span v-if="side.failed > 0" class="failed">, {{ side.failed }} failed</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-for="side in result.sides.filter((one) => one.failure)" :key="side.side" class="failed small">
      {{ side.failure }}
    </p>
  </div>
</template>

<style scoped>
.legend {
  max-width: none;
}
.result + .result {
  margin-top: 1.3rem;
}
h3 {
  margin-bottom: 0.25rem;
}
.verdict,
.noise {
  margin: 0 0 0.3rem;
  max-width: none;
}
.headline {
  font-size: 1.1rem;
  margin: 0 0 0.3rem;
}
.headline + .result {
  margin-top: 0.9rem;
}
.broken,
.failed {
  color: rgb(var(--v-theme-error));
}
.wide {
  min-width: 200px;
  width: 34%;
}
</style>
