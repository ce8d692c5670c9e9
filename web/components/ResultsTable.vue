<script setup lang="ts">
import { computed } from 'vue'
import type { PageResult, PageVerdict } from '../../core/contracts/measurements.ts'
import { rulerScale, type RulerScale } from '../ruler/scale.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { bytes, seconds, sideLook, whole } from '../words/show.ts'
import RunDots from './RunDots.vue'
import SideTag from './SideTag.vue'

/** Medians and verdict of each page as each visitor, on one scale. */
const props = defineProps<{ results: readonly PageResult[]; scale?: RulerScale }>()

const own = computed(
  () =>
    props.scale ??
    rulerScale(props.results.flatMap(({ sides }) => sides.flatMap(({ values }) => values.lcpMs))),
)
/** The words of a sentence that carry the verdict; they are set bold. */
const lead = ({ sentence }: PageVerdict): string => /^[^,:.]+(?:\.\d+ s)?/.exec(sentence)?.[0] ?? ''
</script>

<template>
  <div v-for="result in results" :key="result.visitorId + result.pageId" class="result">
    <h3>
      {{ result.path === '/' ? 'Home page' : result.path }}
      <span class="muted">on {{ result.visitorName }}</span>
    </h3>
    <p v-if="result.verdict" class="verdict" :class="{ broken: result.verdict.kind === 'broken' }">
      <strong>{{ lead(result.verdict) }}</strong>{{
        result.verdict.sentence.slice(lead(result.verdict).length)
      }}
    </p>
    <div class="scroll">
      <table class="bench">
        <caption class="visually-hidden">
          Medians of
          {{
            result.path
          }}
          on
          {{
            result.visitorName
          }}
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
.result + .result {
  margin-top: 1.3rem;
}
h3 {
  margin-bottom: 0.25rem;
}
.verdict {
  margin: 0 0 0.45rem;
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
