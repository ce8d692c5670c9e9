<script setup lang="ts">
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import type { PageResult } from '../../core/contracts/measurements.ts'
import ResultsTable from '../measure/ResultsTable.vue'
import SlowSearch from './SlowSearch.vue'

/** What the retest of the trial found, page by page and visitor by visitor. */
defineProps<{ entry: LedgerEntry; at: string; disabled: boolean }>()
defineEmits<{ search: [result: PageResult] }>()
</script>

<template>
  <section aria-label="Verdict">
    <h2>
      Verdict of the retest <span class="muted small">{{ at }}</span>
    </h2>
    <ResultsTable v-slot="{ result }" :results="entry.results">
      <SlowSearch :result="result" :disabled="disabled" @search="$emit('search', result)" />
    </ResultsTable>
  </section>
</template>
