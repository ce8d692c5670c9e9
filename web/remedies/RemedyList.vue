<script setup lang="ts">
import { computed, ref } from 'vue'
import { nowFor, type RemedyRow, type ShownFor } from '../../core/audit/remedy-rows.ts'
import { NEED, REACH, type Need, type Reach } from '../../core/catalogue/remedy.ts'
import type { Findings } from '../../core/contracts/findings.ts'
import type { RemedyId } from '../../core/contracts/setup.ts'
import { seconds, when } from '../format/show.ts'
import { rulerScale } from '../ruler/scale.ts'
import RemedyListRow from './RemedyListRow.vue'

/** All remedies as one working list: what speaks for each, what it gains, and whether it is on. */
const props = defineProps<{
  rows: readonly RemedyRow[]
  findings: Findings
  shownFor: ShownFor
  opened: RemedyId | null
  disabled: boolean
}>()
defineEmits<{ open: [id: RemedyId]; switch: [id: RemedyId, on: boolean] }>()

const REACHES: readonly { readonly value: Reach | 'all'; readonly title: string; readonly sentence: string }[] = [
  { value: 'all', title: 'All', sentence: 'Remedies of every reach.' },
  { value: 'delivery', title: 'Delivery', sentence: REACH.delivery },
  { value: 'files', title: 'Files', sentence: REACH.files },
  { value: 'page', title: 'Page', sentence: REACH.page },
]
const NEEDS: readonly Need[] = ['must', 'optional', 'taste']
const reach = ref<Reach | 'all'>('all')
const worthOnly = ref(false)

const isWorth = ({ worth }: RemedyRow): boolean => worth === 'worth-trying'
const worthTrying = computed(() => props.rows.filter(isWorth).length)
const shown = computed(() =>
  props.rows.filter(
    (row) => (reach.value === 'all' || row.remedy.reach === reach.value) && (!worthOnly.value || isWorth(row)),
  ),
)
const groups = computed(() =>
  NEEDS.map((need) => ({ need, rows: shown.value.filter(({ remedy }) => remedy.need === need) })).filter(
    (group) => group.rows.length > 0,
  ),
)
const look = computed(() => nowFor(props.findings, props.shownFor))
const scale = computed(() => rulerScale([look.value?.now.lcpMs]))
const pageNamed = computed(() => (look.value?.path === '/' ? 'Home page' : (look.value?.path ?? '')))
/** A detailed load that took another time than the median is no contradiction, but has to be explained. */
const apart = computed(
  () => look.value !== null && Math.abs(look.value.detailedLcpMs - look.value.now.lcpMs) > 0.1 * look.value.now.lcpMs,
)
</script>

<template>
  <section aria-labelledby="remedy-list">
    <h2 id="remedy-list" class="visually-hidden">All remedies</h2>
    <p v-if="look" class="small muted basis">
      {{ pageNamed }} as “{{ shownFor.visitorName }}”, measured {{ when(look.at) }}: main content after
      <b>{{ seconds(look.now.lcpMs) }}</b>; with all remedies about <b>{{ seconds(look.withAll.lcpMs) }}</b> is
      predicted.
      <template v-if="apart"
        >The detailed load behind the predictions took {{ seconds(look.detailedLcpMs) }}; each remedy’s share of it is
        applied to the measured median.</template
      >
    </p>
    <div class="bar filters">
      <div class="bar" role="group" aria-label="Reach">
        <v-btn
          v-for="one in REACHES"
          :key="one.value"
          size="small"
          :variant="reach === one.value ? 'flat' : 'outlined'"
          :color="reach === one.value ? 'primary' : undefined"
          :aria-pressed="reach === one.value"
          :title="one.sentence"
          @click="reach = one.value"
          >{{ one.title }}</v-btn
        >
      </div>
      <v-checkbox
        v-model="worthOnly"
        :disabled="findings.looks.length === 0"
        :label="findings.looks.length === 0 ? 'Worth trying' : `Worth trying (${worthTrying})`"
      />
      <slot name="tools" />
    </div>
    <div class="scroll">
      <table class="figures list">
        <caption class="visually-hidden">
          Remedies, their gain, and whether they are on
        </caption>
        <thead>
          <tr>
            <th scope="col">Remedy and evidence</th>
            <th scope="col" class="axis">
              <template v-if="look">0 to {{ scale.endMs / 1000 }} s: now, predicted, measured</template>
              <template v-else>Seconds</template>
            </th>
            <th scope="col" class="gain">Gain</th>
            <th scope="col">Live</th>
            <th scope="col">Trial</th>
          </tr>
        </thead>
        <tbody v-for="group in groups" :key="group.need">
          <tr class="need">
            <th colspan="5" scope="rowgroup">
              {{ NEED[group.need].title }} <span>{{ NEED[group.need].sentence }}</span>
            </th>
          </tr>
          <RemedyListRow
            v-for="row in group.rows"
            :key="row.remedy.id"
            :row="row"
            :look="look"
            :scale="scale"
            :opened="opened === row.remedy.id"
            :disabled="disabled"
            @open="$emit('open', row.remedy.id)"
            @switch="(on) => $emit('switch', row.remedy.id, on)"
          />
        </tbody>
        <tbody v-if="groups.length === 0">
          <tr>
            <td colspan="5" class="muted">No remedy of this reach is worth trying now.</td>
          </tr>
        </tbody>
      </table>
    </div>
    <slot name="below" />
  </section>
</template>

<style scoped>
.basis {
  max-width: none;
  margin: 0.8rem 0 0.4rem;
}
.filters {
  margin: 0.5rem 0;
}
.axis {
  width: 22%;
  min-width: 130px;
}
.gain {
  width: 9.6rem;
}
.need th {
  padding-top: 0.8rem;
  font-size: 0.94rem;
  color: rgb(var(--v-theme-on-surface));
}
.need span {
  font-weight: 400;
  color: rgb(var(--v-theme-secondary));
}
@media (max-width: 760px) {
  .list,
  .list tbody,
  .need,
  .need th {
    display: block;
  }
  thead {
    display: none;
  }
}
</style>
