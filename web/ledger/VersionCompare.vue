<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Version } from '../../core/contracts/sites.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import SelectField from '../ui/SelectField.vue'

/** What differs between any two versions, in words. */
const props = defineProps<{ versions: readonly Version[] }>()
const items = computed(() => props.versions.map(({ number }) => ({ value: number, title: `Version ${number}` })))
const from = ref(props.versions.at(-1)?.number ?? 1)
const to = ref(props.versions[0]?.number ?? 1)
const setupOf = (number: number) => props.versions.find((one) => one.number === number)?.setup
const changes = computed(() => {
  const [before, after] = [setupOf(from.value), setupOf(to.value)]
  return before === undefined || after === undefined ? [] : setupChanges(before, after)
})
</script>

<template>
  <details>
    <summary>Compare two versions</summary>
    <div class="bar">
      <SelectField v-model="from" :items="items" label="From" />
      <SelectField v-model="to" :items="items" label="To" />
    </div>
    <p v-if="changes.length === 0" role="status">The same settings.</p>
    <ul v-else role="status">
      <li v-for="change in changes" :key="change.sentence">{{ change.sentence }}</li>
    </ul>
  </details>
</template>

<style scoped>
summary {
  padding: 0.4rem 0;
}
.bar :deep(.v-input) {
  max-width: 180px;
}
ul {
  padding-left: 1.2rem;
}
</style>
