<script setup lang="ts">
import { computed } from 'vue'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { PlannerFacts } from '../../core/contracts/planner.ts'
import { whole } from '../format/show.ts'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'
import { countedInWords } from './plan-words.ts'
import type { Progress } from './progress.ts'
import WorkProgress from './WorkProgress.vue'

/** Which visits a plan is tried on. */
const props = defineProps<{
  facts: PlannerFacts
  /** What was read of an access log; 'empty': it holds no visits. */
  log: { readonly lines: number; readonly visits: number; readonly days: number } | 'empty' | null
  /** How much of a log has been read; null: none is being read. */
  reading: Progress | null
}>()
const emit = defineEmits<{ log: [file: File]; cancel: [] }>()
const source = defineModel<'counted' | 'log' | 'assumed'>('source', { required: true })
const visitsPerDay = defineModel<number>('visitsPerDay', { required: true })
const exponent = defineModel<number>('exponent', { required: true })

const SOURCES = computed(() => [
  ...(props.facts.counted.from === 'nothing'
    ? []
    : [{ value: 'counted' as const, title: `The site's own: ${countedInWords(props.facts)}` }]),
  { value: 'log' as const, title: 'An access log, replayed visit by visit' },
  { value: 'assumed' as const, title: 'An assumption: so many visits per day' },
])
const number = (value: unknown, least: number, most: number): number | undefined => {
  const typed = Number(value)
  return value !== '' && typed >= least && typed <= most ? typed : undefined
}
const take = (event: Event): void => {
  const [file] = (event.target as HTMLInputElement).files ?? []
  if (file !== undefined) emit('log', file)
}
</script>

<template>
  <div class="bar">
    <SelectField v-model="source" class="source" label="Visits to try the plan on" :items="SOURCES" />
    <template v-if="source === 'assumed'">
      <v-text-field
        class="number"
        type="number"
        min="1"
        label="Page visits per day"
        :model-value="visitsPerDay"
        @update:model-value="visitsPerDay = number($event, 1, 1e8) ?? visitsPerDay"
      />
      <v-text-field
        class="number"
        type="number"
        min="0"
        max="2"
        step="0.05"
        label="Zipf exponent"
        :model-value="exponent"
        @update:model-value="exponent = number($event, 0, 2) ?? exponent"
      />
      <p class="small muted">Usual are 0.6 to 0.8. The higher, the more visits go to a few pages.</p>
    </template>
    <label v-if="source === 'log'" class="small">
      Access log (Common or Combined Log Format); it stays in this browser
      <input type="file" @change="take" />
    </label>
    <WorkProgress
      v-if="source === 'log' && reading !== null"
      :progress="reading"
      :label="`${Math.round((100 * reading.done) / reading.total)}% of the log read`"
      @cancel="emit('cancel')"
    />
  </div>
  <template v-if="source === 'log'">
    <NoteBox
      v-if="log === 'empty' && reading === null"
      kind="error"
      text="No visits of pages over some time were found in it. Choose a log in the Common or Combined Log Format, not compressed."
    />
    <p v-else-if="log && log !== 'empty'" class="small muted" role="status">
      {{ whole(log.visits) }} visits of pages in {{ whole(log.lines) }} lines, over
      {{ roughlyInWords(Math.round(log.days * 86400)) }}.
    </p>
  </template>
</template>

<style scoped>
.bar {
  gap: 0.9rem 1rem;
  margin: 0.9rem 0;
}
.source {
  flex: 0 1 36rem;
}
.number {
  flex: 0 1 11rem;
}
</style>
