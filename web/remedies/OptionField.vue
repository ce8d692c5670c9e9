<script setup lang="ts">
import { computed, ref } from 'vue'
import type { PageKind } from '../../core/contracts/setup.ts'
import type { RemedyOption } from '../../core/catalogue/remedy.ts'
import { durationInWords } from '../../core/catalogue/setting-sentences.ts'
import type { PrefetchSettings, RemedyException } from '../../core/contracts/rewriting.ts'
import ExceptionsField from './ExceptionsField.vue'
import KindsField from './KindsField.vue'
import NextPagesField from './NextPagesField.vue'
import SelectField from '../ui/SelectField.vue'

/** One setting of a remedy, edited in the form that suits it. */
const props = defineProps<{
  option: RemedyOption
  value: unknown
  /** All settings of the remedy. */
  settings: Readonly<Record<string, unknown>>
  disabled?: boolean
}>()
const emit = defineEmits<{ change: [value: unknown] }>()

const UNITS = [
  { value: 1, title: 'seconds' },
  { value: 60, title: 'minutes' },
  { value: 3600, title: 'hours' },
  { value: 86_400, title: 'days' },
]
const unitOf = (s: number): number =>
  UNITS.toReversed().find(({ value }) => s >= value && s % value === 0)?.value ?? 3600
const unit = ref(props.option.input.kind === 'duration' ? unitOf(Number(props.value)) : 1)
const amount = computed(() => Number(props.value) / unit.value)
const lines = computed(() => (Array.isArray(props.value) ? props.value.join('\n') : ''))
const setNumber = (event: Event, factor: number): void => {
  const typed = Number((event.target as HTMLInputElement).value)
  if (Number.isFinite(typed) && typed >= 0) emit('change', Math.round(typed * factor))
}
const setFigure = (event: Event, { least, most }: { least: number; most: number }): void => {
  const typed = Number((event.target as HTMLInputElement).value)
  if (Number.isFinite(typed)) emit('change', Math.min(most, Math.max(least, typed)))
}
const setUnit = (next: number): void => {
  const now = amount.value
  unit.value = next
  emit('change', Math.round(now * next))
}
const setLines = (event: Event): void =>
  emit(
    'change',
    (event.target as HTMLTextAreaElement).value
      .split('\n')
      .map((line) => line.trim())
      .filter((line) => line !== ''),
  )
</script>

<template>
  <div class="option" :class="{ wide: ['kinds', 'exceptions', 'next-pages'].includes(option.input.kind) }">
    <template v-if="option.input.kind === 'duration'">
      <v-text-field
        type="number"
        min="0"
        :label="option.label"
        :model-value="amount"
        :hint="`${option.hint} Now ${durationInWords(Number(value))}.`"
        persistent-hint
        :disabled="disabled"
        @change="(event: Event) => setNumber(event, unit)"
      />
      <SelectField :model-value="unit" :items="UNITS" label="Unit" :disabled="disabled" @update:model-value="setUnit" />
    </template>
    <v-text-field
      v-else-if="option.input.kind === 'bytes'"
      class="whole"
      type="number"
      min="0"
      suffix="bytes"
      :label="option.label"
      :model-value="Number(value)"
      :hint="option.hint"
      persistent-hint
      :disabled="disabled"
      @change="(event: Event) => setNumber(event, 1)"
    />
    <v-text-field
      v-else-if="option.input.kind === 'number'"
      class="whole"
      type="number"
      :min="option.input.least"
      :max="option.input.most"
      :step="option.input.step ?? 1"
      :suffix="option.input.unit"
      :label="option.label"
      :model-value="Number(value)"
      :hint="option.hint"
      persistent-hint
      :disabled="disabled"
      @change="(event: Event) => setFigure(event, option.input as { least: number; most: number })"
    />
    <v-text-field
      v-else-if="option.input.kind === 'text'"
      class="whole"
      :placeholder="option.input.placeholder"
      :label="option.label"
      :model-value="String(value)"
      :hint="option.hint"
      persistent-hint
      :disabled="disabled"
      @change="(event: Event) => emit('change', (event.target as HTMLInputElement).value)"
    />
    <ExceptionsField
      v-else-if="option.input.kind === 'exceptions'"
      class="whole"
      :label="option.label"
      :hint="option.hint"
      :by="option.input.by"
      :exceptions="value as RemedyException[]"
      :disabled="disabled"
      @change="(exceptions) => emit('change', exceptions)"
    />
    <v-switch
      v-else-if="option.input.kind === 'switch'"
      class="whole"
      :model-value="value === true"
      :label="`${option.label}: ${option.hint}`"
      :disabled="disabled"
      @update:model-value="(on: unknown) => emit('change', on === true)"
    />
    <SelectField
      v-else-if="option.input.kind === 'choice'"
      class="whole"
      :model-value="String(value)"
      :items="option.input.choices"
      :label="option.label"
      :hint="option.hint"
      :disabled="disabled"
      @update:model-value="(choice: unknown) => emit('change', choice)"
    />
    <KindsField
      v-else-if="option.input.kind === 'kinds'"
      class="whole"
      :label="option.label"
      :hint="option.hint"
      :kinds="value as PageKind[]"
      :disabled="disabled"
      @change="(kinds) => emit('change', kinds)"
    />
    <NextPagesField
      v-else-if="option.input.kind === 'next-pages'"
      class="whole"
      :label="option.label"
      :hint="option.hint"
      :settings="settings as PrefetchSettings"
      :disabled="disabled"
      @change="(rules) => emit('change', rules)"
    />
    <v-textarea
      v-else-if="option.input.kind === 'patterns'"
      class="whole"
      rows="3"
      auto-grow
      max-rows="8"
      :label="`${option.label}, one per line`"
      :model-value="lines"
      :placeholder="option.input.placeholder"
      :hint="option.hint"
      persistent-hint
      :disabled="disabled"
      @change="setLines"
    />
  </div>
</template>

<style scoped>
.option {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 128px;
  gap: 0.5rem;
  align-items: start;
}
.wide {
  grid-column: 1 / -1;
}
.whole {
  grid-column: 1 / -1;
}
</style>
