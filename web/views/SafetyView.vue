<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { Site } from '../../core/contracts/sites.ts'
import { useJobs } from '../stores/jobs.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import SafetyResults from '../trial/SafetyResults.vue'
import { when } from '../format/show.ts'

const props = defineProps<{ site: Site }>()
const route = useRoute()
const jobs = useJobs()
const trialChecks = useTrialChecks()
const check = computed(() => trialChecks.checks.find(({ id }) => id === route.params['checkId']))
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
</script>

<template>
  <p class="back">
    <router-link :to="{ name: 'remedies', params: { siteId: site.id } }">Remedies</router-link>
  </p>
  <template v-if="check">
    <h1>Safety check of {{ check.order.to }} against {{ check.order.from }}</h1>
    <p class="muted">{{ when(check.at) }}, by {{ check.by }}</p>
    <p v-if="check.error" role="alert">{{ check.error }}</p>
    <SafetyResults :check="check" :disabled="busy" />
  </template>
  <p v-else>This check is no longer among the latest.</p>
</template>

<style scoped>
.back {
  margin: 0;
}
</style>
