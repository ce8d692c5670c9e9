<script setup lang="ts">
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { remedyName } from '../../core/catalogue/remedy-names.ts'
import type { RulerScale } from '../ruler/scale.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { gainInWords, gainOf } from '../stores/findings.ts'
import { SAFETY_WORDS } from '../trial/result-words.ts'
import { DECISION_NAMES } from '../format/decisions.ts'
import { pageName, seconds, when } from '../format/show.ts'

/** One thing that was tried: predicted beside measured, whether it was safe, and what was decided. */
defineProps<{ site: Site; entry: LedgerEntry; scale: RulerScale; disabled: boolean }>()
defineEmits<{ measureAgain: [] }>()

const KINDS = {
  faster: 'faster',
  slower: 'slower',
  broken: 'broken',
  'no-difference': 'no measurable difference',
  'too-few': 'too few runs to tell',
} as const
type Result = LedgerEntry['results'][number]
const lcp = (result: Result, ...sides: string[]): number | null =>
  result.sides.find(({ side }) => sides.includes(side))?.medians.lcpMs ?? null
const gain = ({ verdict }: Result): string => {
  const interval = verdict?.gains.lcpMs
  return interval === undefined
    ? ''
    : `${seconds(interval.shift)} (${seconds(interval.low)} to ${seconds(interval.high)})`
}
</script>

<template>
  <li class="panel">
    <div class="line">
      <strong>{{ entry.title }}</strong>
      <span v-if="DECISION_NAMES[entry.decision]" class="decision"
        >{{ DECISION_NAMES[entry.decision]
        }}<template v-if="entry.decision === 'kept' && entry.version">, version {{ entry.version }}</template></span
      >
      <router-link
        v-if="entry.safety"
        class="small"
        :to="{ name: 'safety', params: { siteId: site.id, checkId: entry.safety.checkId } }"
        >{{ SAFETY_WORDS[entry.safety.result] }}</router-link
      >
      <span class="muted small when">{{ when(entry.at) }}, {{ entry.by }}</span>
    </div>
    <p v-if="entry.changes.length > 0">{{ entry.changes.join(', ') }}</p>
    <p v-for="{ remedy, exception } in entry.exceptions" :key="exception.value" class="small">
      Excluded from {{ remedyName(remedy) }}: <code>{{ exception.value }}</code>
    </p>
    <div v-if="entry.results.length > 0" class="scroll" tabindex="0">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Page</th>
            <th scope="col">Visitor</th>
            <th scope="col">Measured</th>
            <th v-if="entry.predicted.length > 0" scope="col">Predicted</th>
            <th scope="col">Gain (95% interval)</th>
            <th scope="col" class="wide">0 to {{ scale.endMs / 1000 }} s</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="result in entry.results" :key="result.pageId + result.visitorId">
            <th scope="row">{{ pageName(result.path) }}</th>
            <td>{{ result.visitorName }}</td>
            <td :class="{ failed: result.verdict?.kind === 'broken' }">
              {{ result.verdict ? KINDS[result.verdict.kind] : seconds(result.sides[0]?.medians.lcpMs) }}
            </td>
            <td v-if="entry.predicted.length > 0">
              {{
                gainInWords(
                  gainOf(
                    entry.predicted.filter(({ pageId }) => pageId === result.pageId),
                    result.visitorId,
                    'lcpMs',
                  ),
                )
              }}
            </td>
            <td>{{ gain(result) || '–' }}</td>
            <td class="wide">
              <SecondsRuler
                compact
                :scale="scale"
                :origin="lcp(result, 'origin')"
                :live="lcp(result, 'live')"
                :trial="lcp(result, 'trial')"
                :others="[{ side: 'candidate', ms: lcp(result, 'candidate') }]"
                :floor-ms="result.floorMs"
                :about="`${result.path} as “${result.visitorName}”`"
              />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <div v-if="entry.measurementId || entry.measurable" class="bar">
      <router-link
        v-if="entry.measurementId"
        class="small"
        :to="{ name: 'measurement', params: { siteId: site.id, measurementId: entry.measurementId } }"
        >Measurement</router-link
      >
      <v-btn v-if="entry.measurable" size="x-small" :disabled="disabled" @click="$emit('measureAgain')"
        >Measure again</v-btn
      >
    </div>
  </li>
</template>

<style scoped>
.line {
  display: flex;
  gap: 0.4rem 1rem;
  flex-wrap: wrap;
  align-items: baseline;
}
.when {
  margin-left: auto;
}
.decision {
  border: 1px solid rgb(var(--v-theme-line));
  padding: 0 0.5em;
}
p {
  margin: 0.2rem 0 0.5rem;
}
.wide {
  width: 30%;
  min-width: 170px;
}
.failed {
  color: rgb(var(--v-theme-error));
}
</style>
