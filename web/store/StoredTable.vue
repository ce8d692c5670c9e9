<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import { StorePage, type StoreQuery } from '../../core/contracts/store.ts'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import { bytes, when, whole } from '../format/show.ts'
import StoreRowActions from './StoreRowActions.vue'
import SelectField from '../ui/SelectField.vue'

/** Everything that is stored, a page at a time; sorted and filtered by delivery, so that many thousands are no burden here. */
const props = defineProps<{ site: Site; channel: 'live' | 'trial' }>()
const emit = defineEmits<{ explain: [address: string]; changed: [] }>()
const problems = useProblems()

const LIMIT = 100
const text = ref('')
const pagesOnly = ref(false)
const state = ref<StoreQuery['state']>('all')
const sort = ref<StoreQuery['sort']>('address')
const descending = ref(false)
const offset = ref(0)
const page = shallowRef<StorePage | null>(null)

let newest = 0
const load = async (): Promise<void> => {
  const mine = ++newest
  const query = {
    channel: props.channel,
    text: text.value ?? '',
    pagesOnly: pagesOnly.value,
    state: state.value,
    sort: sort.value,
    descending: descending.value,
    offset: offset.value,
    limit: LIMIT,
  }
  const found = await problems.catching(() => callApi('POST', `/sites/${props.site.id}/store`, StorePage, query))
  if (found !== undefined && mine === newest) page.value = found
}
watch([text, pagesOnly, state, sort, descending, () => props.channel], () => (offset.value = 0))
watch([text, pagesOnly, state, sort, descending, offset, () => props.channel], () => void load(), {
  immediate: true,
})

const STATES = [
  { value: 'all', title: 'fresh and stale' },
  { value: 'fresh', title: 'fresh' },
  { value: 'stale', title: 'stale' },
]
const COLUMNS = [
  { key: 'address', title: 'Address', num: false },
  { key: 'since', title: 'Stored', num: false },
  { key: 'ttl', title: 'Fresh for', num: true },
  { key: 'bytes', title: 'Size by coding', num: true },
  { key: 'hits', title: 'Hits', num: true },
] as const
const by = (key: StoreQuery['sort']): void => {
  if (sort.value === key) descending.value = !descending.value
  else [sort.value, descending.value] = [key, key !== 'address']
}
const FROM = {
  's-maxage': 'by s-maxage',
  'max-age': 'by max-age',
  expires: 'by Expires',
  owner: 'by your lifetime',
  heuristic: 'by Last-Modified',
  none: 'checked each time',
} as const
const fresh = (ttlS: number): string => (ttlS > 0 ? roughlyInWords(ttlS) : `stale for ${roughlyInWords(-ttlS)}`)
const sizes = (kept: Record<string, number>): string =>
  Object.entries(kept)
    .map(([coding, size]) => `${coding} ${bytes(size)}`)
    .join(', ')
const last = computed(() => Math.min(offset.value + LIMIT, page.value?.total ?? 0))
const changed = async (): Promise<void> => {
  await load()
  emit('changed')
}
</script>

<template>
  <div class="bar filters">
    <v-text-field v-model="text" label="Address contains" class="words" clearable />
    <SelectField v-model="state" :items="STATES" label="State" class="state" />
    <v-checkbox v-model="pagesOnly" label="Pages only" />
    <span v-if="page" class="muted small" role="status">{{
      page.total === 0 ? 'Nothing stored' : `${whole(offset + 1)} to ${whole(last)} of ${whole(page.total)}`
    }}</span>
  </div>
  <div v-if="page && page.total > 0" class="scroll">
    <table class="figures">
      <caption class="visually-hidden">
        Stored responses
      </caption>
      <thead>
        <tr>
          <th
            v-for="column in COLUMNS"
            :key="column.key"
            scope="col"
            :class="{ num: column.num }"
            :aria-sort="sort === column.key ? (descending ? 'descending' : 'ascending') : 'none'"
          >
            <button type="button" class="sorter" @click="by(column.key)">
              {{ column.title }}{{ sort === column.key ? (descending ? ' ▾' : ' ▴') : '' }}
            </button>
          </th>
          <th scope="col">Filled by</th>
          <th scope="col">Last decision</th>
          <th scope="col">Do</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="entry in page.entries" :key="entry.address + entry.variants.join()">
          <th scope="row">
            <code>{{ entry.address }}</code>
            <span v-if="entry.kind" class="muted small"> {{ entry.kind }}</span>
            <span v-for="variant in entry.variants" :key="variant" class="muted small"> {{ variant }}</span>
          </th>
          <td>{{ when(new Date(entry.since).toISOString()) }}</td>
          <td class="num">
            {{ fresh(entry.ttlS) }} <span class="muted small">{{ FROM[entry.lifetimeFrom] }}</span>
          </td>
          <td class="num">{{ sizes(entry.bytes) }}</td>
          <td class="num">{{ whole(entry.hits) }}</td>
          <td>{{ entry.filledBy }}</td>
          <td class="small">
            <code v-if="entry.last">{{ entry.last.cacheStatus.replace(/^zest-lamp; /, '') }}</code>
            <span v-else class="muted">not requested lately</span>
          </td>
          <td>
            <StoreRowActions
              :site-id="site.id"
              :address="entry.address"
              :no-refresh="channel === 'trial'"
              @changed="changed"
              @explain="emit('explain', entry.address)"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <div v-if="page && page.total > LIMIT" class="bar pager">
    <v-btn size="small" :disabled="offset === 0" @click="offset = Math.max(0, offset - LIMIT)">Back</v-btn>
    <v-btn size="small" :disabled="offset + LIMIT >= page.total" @click="offset += LIMIT">Next</v-btn>
  </div>
</template>

<style scoped>
.state {
  flex: 0 1 14rem;
}
.filters,
.pager {
  margin: 0.4rem 0 0.6rem;
}
.words {
  max-width: 320px;
}
.sorter {
  font: inherit;
  color: inherit;
  cursor: pointer;
  text-decoration: underline dotted;
}
</style>
