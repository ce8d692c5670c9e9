<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { PageSequences, type PageSequence } from '../../core/contracts/next-pages.ts'
import type { NextPageRule, PrefetchSettings } from '../../core/contracts/rewriting.ts'
import { nextPageRows, withNextPageRule, type NextPageRow } from '../../core/prefetch/next-page-rows.ts'
import { callApi } from '../api/client.ts'
import { howMany, pageName } from '../format/show.ts'
import { useSite } from '../stores/site.ts'
import SelectField from '../ui/SelectField.vue'

/** Which pages visitors open next, with the owner's word on each. */
const props = defineProps<{
  settings: Pick<PrefetchSettings, 'learn' | 'likelyPercent' | 'rules'>
  label: string
  hint: string
  disabled?: boolean
}>()
const emit = defineEmits<{ change: [rules: NextPageRule[]] }>()
const site = useSite()

const FIRST_ROWS = 12
const WORDS = [
  { value: 'by-visits', title: 'By visits' },
  { value: 'always', title: 'Always' },
  { value: 'never', title: 'Never' },
]
const FETCHED: Record<NextPageRow['fetched'], string> = {
  'at-once': 'Fetched at once',
  'by-link': 'Fetched with its link',
  never: 'Never fetched',
}
const sequences = ref<PageSequence[]>([])
const state = ref<'loading' | 'there' | 'failed'>('loading')
const load = async (): Promise<void> => {
  try {
    sequences.value = (await callApi('GET', `/sites/${site.siteId}/next-pages`, PageSequences)).sequences
    state.value = 'there'
  } catch {
    state.value = 'failed'
  }
}
watch(() => site.siteId, load, { immediate: true })

const rows = computed(() => nextPageRows(sequences.value, props.settings))
const all = ref(false)
const shown = computed(() => (all.value ? rows.value : rows.value.slice(0, FIRST_ROWS)))
const say = (page: string, next: string, word: NextPageRow['rule']): void =>
  emit('change', withNextPageRule(props.settings.rules, page, next, word))
const evidence = ({ visits, share, fetched }: NextPageRow): string =>
  share === null
    ? `${FETCHED[fetched]}; no visits yet.`
    : `${FETCHED[fetched]}: ${howMany(Math.round(visits), 'visit')}, ${(100 * share).toFixed(0)}%.`

const page = ref('')
const next = ref('')
const isPath = (text: string): boolean => /^\/(?!\/)/.test(text.trim())
const canAdd = computed(() => isPath(page.value) && isPath(next.value) && page.value.trim() !== next.value.trim())
const add = (): void => {
  if (!canAdd.value) return
  say(page.value.trim(), next.value.trim(), 'always')
  page.value = next.value = ''
}
</script>

<template>
  <div class="next-pages" role="group" :aria-label="label">
    <h5>{{ label }}</h5>
    <p class="muted small">{{ hint }}</p>
    <p v-if="state === 'failed'" class="small">
      Delivery does not answer, so what visits have shown is missing here. Rules of yours are in force.
    </p>
    <p v-else-if="state === 'there' && rows.length === 0" class="small">
      No visitor has gone from one page to another yet. This fills by itself, from the visits to live.
    </p>
    <div v-if="rows.length > 0" class="scroll">
      <table class="figures small">
        <thead>
          <tr>
            <th scope="col">From page → to page</th>
            <th scope="col">Your rule</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in shown" :key="`${row.page} ${row.next}`">
            <th scope="row">
              {{ pageName(row.page) }} → {{ pageName(row.next) }}
              <div class="muted">{{ evidence(row) }}</div>
            </th>
            <td class="rule">
              <SelectField
                :model-value="row.rule"
                :items="WORDS"
                :label="`Your rule for ${pageName(row.next)} after ${pageName(row.page)}`"
                hide-label
                :disabled="disabled"
                @update:model-value="(word: unknown) => say(row.page, row.next, word as NextPageRow['rule'])"
              />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <v-btn v-if="rows.length > FIRST_ROWS" size="small" variant="text" @click="all = !all">{{
      all ? 'Show fewer' : `Show all ${rows.length}`
    }}</v-btn>
    <form class="add" @submit.prevent="add">
      <v-text-field v-model="page" label="From page" placeholder="/timetables" :disabled="disabled" />
      <v-text-field v-model="next" label="To page" placeholder="/fares" :disabled="disabled" />
      <v-btn type="submit" size="small" :disabled="disabled || !canAdd">Add a rule</v-btn>
    </form>
  </div>
</template>

<style scoped>
.next-pages {
  grid-column: 1 / -1;
  display: grid;
  gap: 0.4rem;
  min-width: 0;
}
h5,
p {
  margin: 0;
}
h5 {
  font-size: 0.86rem;
}
th[scope='row'] {
  font-weight: 600;
  overflow-wrap: anywhere;
}
th .muted {
  font-weight: 400;
}
.rule {
  width: 9.6rem;
  min-width: 9.6rem;
}
.add {
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 0.5rem;
  align-items: center;
}
</style>
