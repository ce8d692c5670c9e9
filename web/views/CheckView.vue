<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, defineAsyncComponent, ref, shallowRef } from 'vue'
import { QuickCheck } from '../../core/contracts/quick-check.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import MeasureNav from '../measure/MeasureNav.vue'
import QuickCheckResult from '../measure/QuickCheckResult.vue'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import SelectField from '../ui/SelectField.vue'
import SuggestField from '../ui/SuggestField.vue'

/** One address of the site, in about two seconds. */
const props = defineProps<{ site: Site }>()
/** What is asked for only by a button. */
const CompressionCheck = defineAsyncComponent(() => import('../measure/CompressionCheck.vue'))
const siteData = useSite()
const problems = useProblems()
const base = ref(props.site.liveUrl)
const path = ref('/')
const busy = ref(false)
const check = shallowRef<QuickCheck | null>(null)
const bases = computed(() => [
  { value: props.site.address, title: `Origin: ${props.site.address}` },
  { value: props.site.liveUrl, title: `Live: ${props.site.liveUrl}` },
  { value: props.site.trialUrl, title: `Trial: ${props.site.trialUrl}` },
  { value: props.site.liveSecureUrl, title: `Live over HTTPS: ${props.site.liveSecureUrl}` },
  ...props.site.hosts.added.map((host) => ({ value: `https://${host}`, title: `Added: ${host}` })),
])
const paths = computed(() => props.site.sample.map((page) => page.path))
/** What a server says of itself; everything else is left behind by who stands in between. */
const OF_THE_SERVER = /^(?:server|server-timing|alt-svc):/
/** Whether another cache shows in an answer of the server itself, which nothing purges yet. */
const otherCache = computed(
  () =>
    base.value === props.site.address &&
    props.site.hostCache === null &&
    check.value?.points.some(
      ({ topic, evidence }) => topic === 'intermediaries' && evidence.some((line) => !OF_THE_SERVER.test(line)),
    ) === true,
)
const look = async (): Promise<void> => {
  busy.value = true
  const found = await problems.catching(() =>
    callApi('POST', siteData.path('/quick-checks'), QuickCheck, { address: base.value + (path.value || '/') }),
  )
  busy.value = false
  if (found !== undefined) check.value = found
}
</script>

<template>
  <MeasureNav :site="site" />
  <h1>Quick check</h1>
  <form class="bar" @submit.prevent="look">
    <SelectField v-model="base" class="field" label="Address to check" :items="bases" />
    <SuggestField v-model="path" class="field" label="Path" :suggestions="paths" />
    <ActionButton type="submit" color="primary" variant="flat" :under-way="busy">Check</ActionButton>
  </form>
  <p class="small muted">
    Only the site’s own hosts, and hosts added under Site, can be checked. From the command line:
    <code>zest check {{ base }}{{ path }} --json</code>
  </p>
  <div v-if="check" role="status"><QuickCheckResult :check="check" /></div>
  <p v-if="otherCache" class="bar">
    <span>A cache between Zest Lamp and your pages keeps serving old pages after a change.</span>
    <v-btn size="small" :to="{ name: 'site', params: { siteId: site.id }, hash: '#host-cache' }">Purge it too</v-btn>
  </p>
  <CompressionCheck :site="site" />
</template>

<style scoped>
.field {
  flex: 1 1 260px;
  max-width: 460px;
}
</style>
