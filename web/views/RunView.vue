<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { Run } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import SideTag from '../components/SideTag.vue'
import { useBench } from '../stores/bench.ts'
import { useProblems } from '../stores/problems.ts'
import WaterfallTable from '../waterfall/WaterfallTable.vue'
import { bytes, seconds, when } from '../words/show.ts'

defineProps<{ site: Site }>()
const route = useRoute()
const bench = useBench()
const problems = useProblems()
const run = shallowRef<Run | null>(null)
const address = computed(
  () => `/measurements/${String(route.params['measurementId'])}/runs/${String(route.params['runId'])}`,
)

watch(
  address,
  async (path) => {
    const found = await problems.catching(() => callApi('GET', bench.path(path), Run))
    if (found !== undefined && address.value === path) run.value = found
  },
  { immediate: true },
)
const figures = computed(() => {
  const metrics = run.value?.metrics
  if (!metrics) return []
  return [
    ['Server wait (TTFB)', seconds(metrics.ttfbMs)],
    ['First paint (FCP)', seconds(metrics.fcpMs)],
    ['Main content (LCP)', seconds(metrics.lcpMs)],
    ['Fully loaded', seconds(metrics.loadedMs)],
    ['Blocked (TBT)', seconds(metrics.tbtMs)],
    ['Shift (CLS)', metrics.cls.toFixed(2)],
    ['Requests', String(metrics.requests)],
    ['Sent', bytes(metrics.sentBytes)],
    ['Decoded', bytes(metrics.decodedBytes)],
  ]
})
</script>

<template>
  <template v-if="run">
    <div class="bar head">
      <h1>
        {{ run.path === '/' ? 'Home page' : run.path }}
        <span class="muted small"
          ><SideTag :side="run.side" /> · {{ when(run.at) }} · {{ run.visit }} visit</span
        >
      </h1>
      <router-link
        :to="{
          name: 'measurement',
          params: { siteId: site.id, measurementId: String(route.params['measurementId']) },
        }"
        >The measurement</router-link
      >
    </div>
    <dl class="figures">
      <div v-for="[name, value] in figures" :key="name">
        <dt>{{ name }}</dt>
        <dd>{{ value }}</dd>
      </div>
    </dl>
    <p v-if="run.metrics?.lcpElement" class="small muted">
      Main content: <code class="element">{{ run.metrics.lcpElement }}</code>
      <code v-if="run.metrics.lcpUrl">{{ run.metrics.lcpUrl }}</code>
    </p>
    <WaterfallTable :run="run" />
  </template>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1.6rem;
  margin: 0.7rem 0;
}
dt {
  font-size: 0.8rem;
  color: rgb(var(--v-theme-secondary));
}
dd {
  font-weight: 650;
}
.element {
  margin-right: 0.6em;
}
h1 .small {
  font-size: 0.9rem;
  font-weight: 400;
}
</style>
