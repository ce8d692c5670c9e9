<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import NextStep from '../ui/NextStep.vue'
import type { Site } from '../../core/contracts/sites.ts'
import { Coverage } from '../../core/contracts/store.ts'
import { callApi } from '../api/client.ts'
import ChangesNotice from '../store/ChangesNotice.vue'
import ReadinessNote from '../store/ReadinessNote.vue'
import CoverageTable from '../store/CoverageTable.vue'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { whole } from '../format/show.ts'

/** Parts that are loaded when somebody opens them. */
const StoredTable = defineAsyncComponent(() => import('../store/StoredTable.vue'))
const RequestPathPanel = defineAsyncComponent(() => import('../store/RequestPathPanel.vue'))
const WarmUpPanel = defineAsyncComponent(() => import('../warm-up/WarmUpPanel.vue'))
const PlannerPanel = defineAsyncComponent(() => import('../planner/PlannerPanel.vue'))
const ObjectsPanel = defineAsyncComponent(() => import('../objects/ObjectsPanel.vue'))
const PurgePanel = defineAsyncComponent(() => import('../store/PurgePanel.vue'))
const TrafficPanel = defineAsyncComponent(() => import('../store/TrafficPanel.vue'))

/** What the store holds, of which pages, and why not of the others. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()
const router = useRouter()
const problems = useProblems()

const SECTIONS = [
  { id: 'pages', title: 'Pages of the sitemap' },
  { id: 'stored', title: 'Everything stored' },
  { id: 'warm-up', title: 'Warm-up' },
  { id: 'planner', title: 'Planner' },
  { id: 'path', title: 'Request path' },
  { id: 'purge', title: 'Purge' },
  { id: 'traffic', title: 'Traffic' },
  { id: 'objects', title: 'Object cache' },
] as const
type SectionId = (typeof SECTIONS)[number]['id']
/** Other views lead to one part of it. */
const wanted = SECTIONS.find(({ id }) => id === useRoute().query['part'])
const section = ref<SectionId>(wanted?.id ?? 'pages')
const channel = ref<'live' | 'trial'>('live')
const coverage = shallowRef<Coverage | null>(null)
const explained = ref('/')

const load = async (): Promise<void> => {
  const asked = channel.value
  const found = await problems.catching(() =>
    callApi('GET', `/sites/${props.site.id}/coverage?channel=${asked}`, Coverage),
  )
  if (found !== undefined && channel.value === asked) coverage.value = found
  await problems.catching(() => siteData.loadTraffic())
}
void load()
/** What makes the coverage another one; nothing is known of versions before they have come. */
const basis = computed(() => [channel.value, siteData.liveVersion?.number, siteData.trial?.revision])
watch(basis, (now, before) => {
  if (now.some((value, at) => before[at] !== undefined && value !== before[at])) void load()
})

/** Figures of visitors' requests are looked at while they change. */
const EVERY_MS = 5000
const watching = window.setInterval(() => {
  if (document.visibilityState === 'visible') void siteData.loadTraffic().catch(() => undefined)
}, EVERY_MS)
onBeforeUnmount(() => window.clearInterval(watching))

const cold = computed(() => {
  const live = siteData.traffic?.channels.find((one) => one.channel === channel.value)
  return live === undefined || live.pageVisits === 0 ? null : Math.round((1000 * live.coldVisits) / live.pageVisits)
})
const pageCacheOff = computed(
  () => siteData.liveVersion !== undefined && !siteData.liveVersion.setup.remedies.pageCache.enabled,
)
const inTrial = computed(() => siteData.trial?.setup.remedies.pageCache.enabled === true)
/** Live stores pages, and none has come yet. */
const empty = computed(
  () => !pageCacheOff.value && channel.value === 'live' && coverage.value?.fresh === 0 && coverage.value.stale === 0,
)
const visiting = ref(false)
/** The pages of the sample are asked for as visitors would, which stores them. */
const visit = async (): Promise<void> => {
  visiting.value = true
  await problems.catching(() => siteData.confirm())
  await load()
  visiting.value = false
}
const explain = (address: string): void => {
  explained.value = address
  section.value = 'path'
}
</script>

<template>
  <h1 class="visually-hidden">Store</h1>
  <ChangesNotice :site="site" />
  <ReadinessNote :site="site" always />
  <NextStep
    v-if="pageCacheOff && channel === 'live'"
    :sentence="
      inTrial
        ? 'Visitors get every page from your server (origin): the page cache is only in the trial. Keep the trial, and live pages are stored here.'
        : 'Visitors get every page from your server (origin): the page cache is off. Try it where no visitor sees it.'
    "
    :action="inTrial ? 'Decide on the trial' : 'Open the page cache'"
    @go="
      router.push({
        name: 'remedies',
        params: { siteId: site.id },
        query: inTrial ? {} : { remedy: 'pageCache' },
      })
    "
  />
  <NextStep
    v-else-if="empty"
    sentence="The store is empty and fills as visitors come. You can load your sample pages into it now."
    action="Load sample pages"
    :under-way="visiting"
    @go="visit"
  />
  <div class="headline">
    <p v-if="coverage">
      <b>{{ whole(coverage.fresh) }} of {{ whole(coverage.pages) }}</b> pages of the sitemap are stored and
      fresh<template v-if="coverage.stale > 0"
        >, {{ whole(coverage.stale) }} {{ coverage.stale === 1 ? 'is' : 'are' }} stale</template
      >. {{ whole(coverage.absent) }} {{ coverage.absent === 1 ? 'is' : 'are' }} not stored.
    </p>
    <p v-if="cold !== null">
      <b>{{ whole(cold) }}</b> cold visits per 1,000: visits that waited for your server (origin) to build a page that
      could have been stored.
    </p>
  </div>
  <div class="bar tools">
    <div class="bar" role="tablist" aria-label="Parts of the store">
      <v-btn
        v-for="one in SECTIONS"
        :id="`tab-${one.id}`"
        :key="one.id"
        role="tab"
        size="small"
        :variant="section === one.id ? 'flat' : 'outlined'"
        :color="section === one.id ? 'primary' : undefined"
        :aria-selected="section === one.id"
        aria-controls="store-part"
        @click="section = one.id"
      >
        {{ one.title }}
      </v-btn>
    </div>
    <div class="bar">
      <v-radio-group v-model="channel" inline hide-details density="compact" aria-label="Channel">
        <v-radio value="live" label="Live" />
        <v-radio value="trial" label="Trial" />
      </v-radio-group>
      <v-btn size="small" @click="load">Reload</v-btn>
    </div>
  </div>
  <div id="store-part" role="tabpanel" :aria-labelledby="`tab-${section}`">
    <i v-if="section === 'pages' && !coverage" class="bone tall" role="status" aria-label="Loading" />
    <CoverageTable
      v-else-if="section === 'pages' && coverage"
      :coverage="coverage"
      :site="site"
      @explain="explain"
      @changed="load"
    />
    <StoredTable v-else-if="section === 'stored'" :site="site" :channel="channel" @explain="explain" @changed="load" />
    <WarmUpPanel v-else-if="section === 'warm-up'" :site="site" @explain="explain" @changed="load" />
    <PlannerPanel v-else-if="section === 'planner'" :site="site" />
    <RequestPathPanel v-else-if="section === 'path'" :site="site" :channel="channel" :address="explained" />
    <PurgePanel v-else-if="section === 'purge'" :site="site" @changed="load" />
    <ObjectsPanel v-else-if="section === 'objects'" :site="site" />
    <TrafficPanel v-else-if="section === 'traffic' && siteData.traffic" :traffic="siteData.traffic" :site="site" />
  </div>
</template>

<style scoped>
/* As high while it loads. */
.headline {
  min-height: 1.9rem;
  font-size: 1.1rem;
}
.headline p {
  margin: 0.1rem 0;
  max-width: none;
}
.tools {
  justify-content: space-between;
  margin: 0.8rem 0;
}
</style>
