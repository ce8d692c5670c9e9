<script setup lang="ts">
import { computed } from 'vue'
import type { Findings } from '../../core/contracts/findings.ts'
import type { RemedyRow, Worth } from '../../core/audit/remedy-rows.ts'
import type { Side } from '../../core/contracts/measuring.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import type { RulerScale } from '../ruler/scale.ts'
import { measuredInWords } from '../format/gains.ts'
import { gainInWords } from '../stores/findings.ts'

const props = defineProps<{
  row: RemedyRow
  look: Findings['looks'][number] | null
  scale: RulerScale
  opened: boolean
  disabled: boolean
}>()
defineEmits<{ open: []; switch: [on: boolean] }>()

const remedy = computed(() => props.row.remedy)
/** Why a row is not worth trying, where that is not plain from its evidence. */
const WHY: Partial<Record<Worth, string>> = {
  'little-to-gain': 'Little to gain.',
  'not-needed': 'Not needed here:',
  conflict: 'Conflict: open it to see why.',
}
const title = computed(() => props.row.findings[0]?.title)
const now = computed(() => props.look?.now.lcpMs ?? null)
const after = (gain: number | null | undefined): number | null =>
  now.value === null || gain === null || gain === undefined ? null : Math.max(0, now.value - gain)
const others = computed(() => [{ side: 'candidate' as Side, name: 'predicted', ms: after(props.row.predictedMs) }])
</script>

<template>
  <tr :class="{ opened }">
    <th scope="row">
      <button
        :id="`remedy-${remedy.id}`"
        type="button"
        class="name"
        :aria-expanded="opened"
        aria-controls="remedy-detail"
        @click="$emit('open')"
      >
        {{ remedy.name }}
      </button>
      <span class="small muted evidence">
        <template v-if="row.evidence">
          <template v-if="title">{{ title }}. </template>{{ WHY[row.worth] }} {{ row.evidence.sentence }}
        </template>
        <template v-else>{{ remedy.inShort }}</template>
      </span>
    </th>
    <td class="axis">
      <SecondsRuler
        v-if="now !== null && row.predictedMs !== null"
        compact
        :scale="scale"
        :origin="look?.side === 'origin' ? now : null"
        :live="look?.side === 'origin' ? null : now"
        :others="others"
        :trial="after(row.measured?.shift)"
        :about="`${remedy.name}: time to the main content now, predicted and measured`"
      />
    </td>
    <td class="gain small">
      <span v-if="row.predictedMs !== null"
        >predicted <b>{{ gainInWords(row.predictedMs) }}</b></span
      >
      <span v-if="row.measured"
        >measured <b>{{ measuredInWords(row.measured) }}</b></span
      >
    </td>
    <td class="state small">
      <span class="only-phone">Live: </span><b v-if="row.isLive">on</b><span v-else class="muted">off</span>
    </td>
    <td class="switch">
      <v-switch
        :model-value="row.inTrial"
        :aria-label="`${remedy.name} in trial`"
        :disabled="disabled"
        @update:model-value="(value: unknown) => $emit('switch', value === true)"
      />
    </td>
  </tr>
</template>

<style scoped>
tr.opened > * {
  background: rgb(var(--v-theme-surface-variant), 0.5);
}
th[scope='row'] {
  text-align: left;
  font-weight: 400;
}
.name {
  font: inherit;
  font-size: 0.96rem;
  font-weight: 650;
  color: rgb(var(--v-theme-primary));
  text-align: left;
  cursor: pointer;
  text-decoration: underline;
}
.evidence {
  display: block;
  overflow-wrap: anywhere;
}
.gain span {
  display: block;
  white-space: nowrap;
}
.only-phone {
  display: none;
}
.switch {
  width: 76px;
  min-width: 76px;
}
.switch :deep(.v-selection-control) {
  min-height: 30px;
}
@media (max-width: 760px) {
  tr {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    border-bottom: 1px solid rgb(var(--v-theme-line));
  }
  tr > * {
    border-bottom: 0 !important;
  }
  th[scope='row'] {
    grid-column: 1;
  }
  .switch {
    grid-column: 2;
    grid-row: 1;
  }
  .axis {
    grid-column: 1 / -1;
    padding-block: 0.1rem !important;
  }
  .state {
    grid-column: 2;
  }
  .gain,
  .state {
    padding-block: 0.1rem !important;
  }
  .only-phone {
    display: inline;
  }
  td:empty {
    display: none;
  }
}
</style>
