<script setup lang="ts">
import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'
import SiteRuler from '../ruler/SiteRuler.vue'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import { useSites } from '../stores/sites.ts'

/** What every place of a site has in common: the ruler on top, and the figures it shows. */
const route = useRoute()
const sites = useSites()
const siteData = useSite()
const trialChecks = useTrialChecks()
const problems = useProblems()
const site = computed(() => sites.find(String(route.params['siteId'])))

watch(
  () => site.value?.id,
  (id) => {
    if (id !== undefined) void problems.catching(() => Promise.all([siteData.open(id), trialChecks.open(id)]))
  },
  { immediate: true },
)
</script>

<template>
  <template v-if="site">
    <SiteRuler :site="site" />
    <div class="place-view"><router-view :key="site.id" :site="site" /></div>
  </template>
  <p v-else-if="sites.loaded" class="place-view">
    This site no longer exists. <router-link :to="{ name: 'sites' }">All sites</router-link>
  </p>
</template>

<style scoped>
.place-view {
  padding: 1rem 1.4rem 2.4rem;
}
@media (max-width: 760px) {
  .place-view {
    padding: 0.8rem 0.9rem 2rem;
  }
}
</style>
