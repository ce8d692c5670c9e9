<script setup lang="ts">
import { computed } from 'vue'
import type { CdnFinding } from '../../core/contracts/rented-cdn.ts'
import { howMany } from '../format/show.ts'

/** What was set, compared with what comes through the CDN: what differs first, each with what to do. */
const props = defineProps<{ findings: readonly CdnFinding[] }>()
const WORDS: Record<CdnFinding['state'], string> = { differs: 'Differs', unknown: 'Not clear', 'as-set': 'As set' }
const ORDER: CdnFinding['state'][] = ['differs', 'unknown', 'as-set']
const sorted = computed(() => props.findings.toSorted((a, b) => ORDER.indexOf(a.state) - ORDER.indexOf(b.state)))
const asSet = computed(() => sorted.value.filter(({ state }) => state === 'as-set'))
const open = computed(() => sorted.value.filter(({ state }) => state !== 'as-set'))
const parts = computed(() => [
  { title: null, rows: open.value },
  { title: `${asSet.value.length} as set`, rows: asSet.value },
])
const differing = computed(() => props.findings.filter(({ state }) => state === 'differs').length)
const headline = computed(() =>
  differing.value === 0
    ? 'Responses through the CDN are as set.'
    : `${howMany(differing.value, 'difference')} between what was set and what comes through the CDN.`,
)
</script>

<template>
  <p role="status">
    <b>{{ headline }}</b>
  </p>
  <template v-for="part in parts" :key="part.title ?? 'open'">
    <component :is="part.title === null ? 'div' : 'details'" v-if="part.rows.length > 0">
      <summary v-if="part.title">{{ part.title }}</summary>
      <div class="scroll" tabindex="0">
        <table class="figures">
          <caption class="visually-hidden">
            What comes through the CDN
          </caption>
          <thead>
            <tr>
              <th scope="col">State</th>
              <th scope="col">File or page</th>
              <th scope="col">What was found, and what to do</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in part.rows" :key="`${one.id} ${one.path}`">
              <td :class="one.state">{{ WORDS[one.state] }}</td>
              <td class="path">
                <code>{{ one.path }}</code>
              </td>
              <td>
                {{ one.sentence }} <template v-if="one.remedy">{{ one.remedy }}</template>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </component>
  </template>
</template>

<style scoped>
td:first-child {
  white-space: nowrap;
  font-weight: 600;
}
.path {
  max-width: 16rem;
  overflow-wrap: anywhere;
}
.as-set {
  color: rgb(var(--v-theme-success));
}
.differs {
  color: rgb(var(--v-theme-error));
}
</style>
