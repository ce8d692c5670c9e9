<script setup lang="ts">
import { ref, watch } from 'vue'
import type { Confirmation, Site } from '../../core/contracts/sites.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import LiveCheck from './LiveCheck.vue'
import LiveConfirmation from './LiveConfirmation.vue'

/** A version that was just published, and whether visitors really get it from the store. */
const props = defineProps<{ site: Site; version: number }>()
const siteData = useSite()
const problems = useProblems()
const confirmations = ref<Confirmation[] | null>(null)

watch(
  () => props.version,
  async (version) => {
    confirmations.value = null
    const found = await problems.catching(() => siteData.confirm())
    if (found !== undefined && props.version === version) confirmations.value = found
  },
  { immediate: true },
)
</script>

<template>
  <section class="panel kept" role="status">
    <strong>Visitors now get version {{ version }}.</strong>
    <p v-if="confirmations === null" class="muted">Checking live from outside, as a signed-out visitor …</p>
    <template v-else>
      <LiveConfirmation :confirmations="confirmations" />
      <LiveCheck :site="site" :paths="confirmations.map(({ path }) => path)" />
    </template>
  </section>
</template>

<style scoped>
.kept {
  margin-top: 1rem;
  border-left: 4px solid rgb(var(--v-theme-live));
}
</style>
