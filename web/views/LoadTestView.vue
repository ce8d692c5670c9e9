<script setup lang="ts">
import { computed, defineAsyncComponent, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { LoadTest } from '../../core/contracts/load-tests.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import LoadTestForm from '../measure/LoadTestForm.vue'
import MeasureNav from '../measure/MeasureNav.vue'
import { when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'

/** How many visitors a second the origin, live and edges handle, and what runs out first. */
const props = defineProps<{ site: Site }>()
/** With its chart, where there is something to draw. */
const LoadTestResult = defineAsyncComponent(() => import('../measure/LoadTestResult.vue'))
const jobs = useJobs()
const problems = useProblems()
const tests = shallowRef<readonly LoadTest[] | null>(null)

const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', `/sites/${props.site.id}/load-tests`, z.array(LoadTest)))
  if (came !== undefined) tests.value = came
}
watch(() => props.site.id, load, { immediate: true })
/** Each step that a test has come further. */
const progress = computed(() => {
  const job = jobs.jobs.find(({ siteId, kind }) => siteId === props.site.id && kind === 'load-test')
  return job === undefined ? '' : `${job.id} ${job.done} ${job.state}`
})
watch(progress, load)
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const newest = computed(() => tests.value?.[0])
const earlier = computed(() => tests.value?.slice(1) ?? [])
</script>

<template>
  <MeasureNav :site="site" />
  <h1>Load test</h1>
  <p class="lead">
    How many visitors a second your server (origin), live and your edges handle, and what runs out first.
  </p>
  <LoadTestForm :site="site" :busy="busy" @ordered="load" />
  <template v-if="newest">
    <h2>Newest test</h2>
    <LoadTestResult :test="newest" />
  </template>
  <p v-else-if="tests" class="muted">No test has been run yet.</p>
  <template v-if="earlier.length > 0">
    <h2>Earlier tests</h2>
    <details v-for="test in earlier" :key="test.id">
      <summary>
        {{ when(test.at) }}:
        {{ test.curves.map(({ name, result }) => `${name} ${result?.borne ?? '–'}`).join(', ') }} visitors a second
      </summary>
      <LoadTestResult :test="test" />
    </details>
  </template>
</template>

<style scoped>
.lead {
  margin-top: 0;
  max-width: 48rem;
}
</style>
