<script setup lang="ts">
import { computed } from 'vue'
import { OBJECT_CACHE } from '../../core/catalogue/object-cache-guide.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { objectsWorth } from '../../core/objects/worth.ts'
import { pageName, seconds } from '../format/show.ts'
import { useSite } from '../stores/site.ts'

/** The remedy that is no part of a setup: where it is found, and what it gained when it was measured. */
defineProps<{ site: Site }>()
const siteData = useSite()
const measured = computed(() => {
  const entry = siteData.ledger.find(({ results }) =>
    results.some(({ verdict }) => verdict?.from === 'without-objects'),
  )
  const [first] = objectsWorth(entry?.results ?? [])
  if (first?.gain == null) return null
  const gain = first.verdict === 'sooner' ? `first byte ${seconds(first.gain.shift)} sooner` : 'no gain'
  return `${pageName(first.path)} as “${first.visitorName}”: ${gain}`
})
</script>

<template>
  <div class="panel beside">
    <h3>{{ OBJECT_CACHE.name }}</h3>
    <p>{{ OBJECT_CACHE.inShort }} Your content system switches it on itself, so it has no trial.</p>
    <p v-if="measured" class="small">Measured: {{ measured }}</p>
    <RouterLink :to="{ name: 'store', params: { siteId: site.id }, query: { part: 'objects' } }"
      >Object cache, under Store</RouterLink
    >
  </div>
</template>

<style scoped>
.beside {
  margin-top: 1rem;
}
.beside h3 {
  margin: 0;
}
.beside p {
  margin: 0.2rem 0;
}
</style>
