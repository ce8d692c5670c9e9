<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { Site } from '../../core/contracts/sites.ts'
import {
  WarmUpPage,
  type WarmOutcome,
  type WarmUpAddress,
  type WarmUpOrder,
  type WarmUpReason,
} from '../../core/contracts/warm-up.ts'
import { callApi } from '../api/client.ts'
import { seconds, when, whole } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'

/** Addresses that are loaded, those worth most first: why each is in the list, what it is worth, who filled the store with it. */
const props = defineProps<{ site: Site; version: number }>()
const emit = defineEmits<{ explain: [address: string]; warm: [order: WarmUpOrder] }>()
const problems = useProblems()

const LIMIT = 25
const search = ref('')
const offset = ref(0)
const page = shallowRef<WarmUpPage | null>(null)
let newest = 0
const load = async (): Promise<void> => {
  const mine = ++newest
  const query = new URLSearchParams({
    offset: String(offset.value),
    limit: String(LIMIT),
    search: search.value ?? '',
  })
  const came = await problems.catching(() =>
    callApi('GET', `/sites/${props.site.id}/warm-up/addresses?${query.toString()}`, WarmUpPage),
  )
  if (came !== undefined && mine === newest) page.value = came
}
watch(search, () => (offset.value = 0))
watch([search, offset, () => props.version], () => void load(), { immediate: true })

const REASONS: Record<WarmUpReason, string> = {
  sitemap: 'sitemap',
  listed: 'named in the settings',
  linked: 'link',
  visited: 'often visited',
  posted: 'asked for',
  changed: 'content changed',
  purged: 'purged',
  published: 'new version',
  expiring: 'about to expire',
  named: 'named by a page',
}
const FILLED = { visitor: 'visitor', 'warm-up': 'warm-up', refresh: 'refresh' } as const
const OUTCOMES: Record<WarmOutcome['kind'], string> = {
  fresh: 'was still fresh',
  unchanged: 'unchanged',
  stored: 'loaded',
  'not-stored': 'cannot be stored',
  failed: 'failed',
}
const outcome = ({ last }: WarmUpAddress): string => {
  if (last === null) return 'not loaded yet'
  const { outcome: of } = last
  return `${OUTCOMES[of.kind]} ${when(last.at)}${'sentence' in of ? `. ${of.sentence}` : ''}`
}
const due = ({ waiting, ttlS }: WarmUpAddress): string => {
  if (waiting) return 'now, in the queue'
  if (ttlS === null) return 'with the next round'
  return ttlS > 0 ? `in ${roughlyInWords(ttlS)}` : 'with the next round'
}
const last = computed(() => Math.min(offset.value + LIMIT, page.value?.total ?? 0))
</script>

<template>
  <template v-if="page && (page.total > 0 || search !== '')">
    <h2>Addresses</h2>
    <div class="bar filters">
      <v-text-field v-model="search" class="words" label="Address contains" clearable />
      <span class="muted small" role="status">{{
        page.total === 0 ? 'None' : `${whole(offset + 1)} to ${whole(last)} of ${whole(page.total)}, worth most first`
      }}</span>
    </div>
    <div class="scroll" tabindex="0" role="region" aria-label="Addresses of the warm-up">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Page</th>
            <th scope="col">In the list because</th>
            <th scope="col" class="num">Visit before it expires</th>
            <th scope="col" class="num">Wait saved</th>
            <th scope="col">In the store</th>
            <th scope="col">Filled by</th>
            <th scope="col">Due</th>
            <th scope="col">Last time</th>
            <th scope="col">Do</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in page.addresses" :key="row.target">
            <th scope="row">
              <code>{{ row.target }}</code>
            </th>
            <td>{{ row.reasons.map((reason) => REASONS[reason]).join(', ') }}</td>
            <td class="num">{{ row.probability === null ? '–' : `${Math.round(row.probability * 100)}% likely` }}</td>
            <td class="num">{{ seconds(row.savedMs) }}</td>
            <td>{{ row.state }}</td>
            <td>{{ row.filledBy === null ? '–' : FILLED[row.filledBy] }}</td>
            <td>{{ due(row) }}</td>
            <td>{{ outcome(row) }}</td>
            <td class="do">
              <v-btn
                size="x-small"
                :aria-label="`Load ${row.target}`"
                @click="emit('warm', { what: 'addresses', addresses: [row.target] })"
                >Load</v-btn
              >
              <v-btn size="x-small" :aria-label="`Explain ${row.target}`" @click="emit('explain', row.target)"
                >Explain</v-btn
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <div v-if="page.total > LIMIT" class="bar pages">
      <v-btn size="small" :disabled="offset === 0" @click="offset = Math.max(0, offset - LIMIT)">Previous</v-btn>
      <v-btn size="small" :disabled="last >= page.total" @click="offset += LIMIT">Next</v-btn>
    </div>
  </template>
</template>

<style scoped>
.filters {
  margin-bottom: 0.5rem;
}
.words {
  max-width: 320px;
}
th[scope='row'] {
  min-width: 11rem;
}
td {
  min-width: 6.5rem;
}
.do {
  white-space: nowrap;
}
.do .v-btn + .v-btn {
  margin-left: 0.3rem;
}
.pages {
  justify-content: flex-start;
  margin-top: 0.5rem;
}
</style>
