<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { CleanUpGroup, Condition, SurveyResult, TimeForm } from '../../core/contracts/clean-up.ts'
import SelectField from '../ui/SelectField.vue'

/** A group that the owner describes by hand. */
const props = defineProps<{ tables: SurveyResult['tables']; taken: readonly string[] }>()
const emit = defineEmits<{ described: [group: CleanUpGroup]; cancel: [] }>()

const WHAT = [
  { value: 'one-of', title: 'is one of' },
  { value: 'none-of', title: 'is none of' },
  { value: 'older', title: 'is older than, days' },
  { value: 'empty', title: 'is empty' },
  { value: 'filled', title: 'is filled in' },
] as const
type What = (typeof WHAT)[number]['value']
interface Line {
  column: string
  what: What
  value: string
}

const name = ref('')
const table = ref(props.tables[0]?.name ?? '')
const columns = computed(() => props.tables.find((one) => one.name === table.value)?.columns ?? [])
const lines = ref<Line[]>([])
watch(table, () => (lines.value = [{ column: columns.value[0]?.name ?? '', what: 'one-of', value: '' }]), {
  immediate: true,
})
const needsValue = ({ what }: Line): boolean => what !== 'empty' && what !== 'filled'
const formOf = ({ column }: Line): TimeForm =>
  columns.value.find((one) => one.name === column)?.kind === 'number' ? 'seconds' : 'time'
const values = (text: string): string[] =>
  text
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean)
const isWhole = (line: Line): boolean => {
  if (!needsValue(line)) return true
  return line.what === 'older' ? /^\d{1,5}$/.test(line.value.trim()) : values(line.value).length > 0
}
const conditions = computed(() =>
  lines.value.map((line): Condition => {
    const { column, what } = line
    if (what === 'older') return { is: what, column, days: Number(line.value), form: formOf(line) }
    if (what === 'empty' || what === 'filled') return { is: what, column }
    return { is: what, column, values: values(line.value) }
  }),
)
const isReady = computed(() => name.value.trim() !== '' && lines.value.length > 0 && lines.value.every(isWhole))
const describe = (): void => {
  const wish = `own-${name.value.toLowerCase().replaceAll(/[^a-z0-9]+/g, '-')}`.slice(0, 80)
  const id = props.taken.includes(wish) ? `${wish}-${props.taken.length}` : wish
  emit('described', {
    id,
    kind: 'other',
    name: name.value.trim(),
    table: table.value,
    where: conditions.value,
    keep: null,
    referring: [],
  })
}
</script>

<template>
  <form class="panel form" @submit.prevent="describe">
    <h3>Describe a group</h3>
    <div class="fields">
      <v-text-field v-model="name" label="What these rows are" />
      <SelectField v-model="table" :items="tables.map((one) => one.name)" label="Table" />
    </div>
    <div v-for="(line, at) in lines" :key="at" class="fields">
      <SelectField
        v-model="line.column"
        :items="columns.map((one) => one.name)"
        :label="at === 0 ? 'Column' : 'and column'"
      />
      <SelectField v-model="line.what" :items="WHAT" label="Condition" />
      <v-text-field
        v-if="needsValue(line)"
        v-model="line.value"
        :label="line.what === 'older' ? 'Days' : 'Values, with commas between'"
      />
      <v-btn v-if="lines.length > 1" @click="lines.splice(at, 1)">Remove this condition</v-btn>
    </div>
    <div class="bar">
      <v-btn type="submit" color="primary" variant="flat" :disabled="!isReady">Count these rows</v-btn>
      <v-btn @click="lines.push({ column: columns[0]?.name ?? '', what: 'one-of', value: '' })"
        >Another condition</v-btn
      >
      <v-btn @click="emit('cancel')">Cancel</v-btn>
    </div>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.7rem;
  margin: 0.6rem 0;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(13rem, 100%), 1fr));
  gap: 0.7rem;
}
h3 {
  margin: 0;
}
</style>
