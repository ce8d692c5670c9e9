<script setup lang="ts">
import type { Site } from '../../core/contracts/sites.ts'

/** What belongs to measuring, in the order in which it is needed. */
defineProps<{ site: Site }>()
const VIEWS = [
  { name: 'measure', title: 'Measurements' },
  { name: 'trend', title: 'Over time' },
  { name: 'check', title: 'Quick check' },
  { name: 'load-test', title: 'Load test' },
  { name: 'visitors', title: 'Visitors and pages' },
  { name: 'routine', title: 'Routine' },
] as const
</script>

<template>
  <nav class="views" aria-label="Measuring">
    <router-link v-for="view in VIEWS" :key="view.name" :to="{ name: view.name, params: { siteId: site.id } }">{{
      view.title
    }}</router-link>
  </nav>
</template>

<style scoped>
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 1.3rem;
  margin-bottom: 0.9rem;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}
a {
  padding: 0.25rem 0 0.4rem;
  text-decoration: none;
  font-weight: 550;
}
a.router-link-exact-active {
  border-bottom: 3px solid rgb(var(--v-theme-primary));
  color: rgb(var(--v-theme-on-surface));
}
</style>
