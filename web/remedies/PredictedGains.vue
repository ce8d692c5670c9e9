<script setup lang="ts">
import type { PredictedGain } from '../../core/contracts/findings.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { computed } from 'vue'
import { gainInWords, gainOf } from '../stores/findings.ts'

/** What a change is predicted to be worth, for each visitor; never averaged over visitors. */
const props = defineProps<{ site: Site; gains: readonly PredictedGain[] }>()
const looked = computed(() => props.site.visitors.filter(({ id }) => gainOf(props.gains, id, 'lcpMs') !== null))
</script>

<template>
  <ul class="gains" aria-label="Predicted">
    <li v-for="visitor in looked" :key="visitor.id">
      <span class="muted">{{ visitor.name }}</span>
      <b>{{ gainInWords(gainOf(gains, visitor.id, 'lcpMs')) }}</b>
      <span class="muted">loaded {{ gainInWords(gainOf(gains, visitor.id, 'loadedMs')) }}</span>
    </li>
    <li v-if="looked.length === 0" class="muted only">no effect on this kind of visit</li>
  </ul>
</template>

<style scoped>
.gains {
  list-style: none;
  padding: 0;
  margin: 0;
  font-variant-numeric: tabular-nums;
  font-size: 0.88rem;
}
li {
  display: grid;
  grid-template-columns: minmax(3.6rem, auto) 6.2rem minmax(0, 1fr);
  gap: 0.4rem;
  white-space: nowrap;
}
.only {
  display: block;
}
</style>
