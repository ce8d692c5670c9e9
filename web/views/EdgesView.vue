<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, ref, shallowRef } from 'vue'
import { useRoute } from 'vue-router'
import { z } from 'zod'
import { EdgeInfo, EdgeWithToken, type EdgeDraft } from '../../core/contracts/edges.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import EdgeTable from '../edges/EdgeTable.vue'
import EdgeForm from '../edges/EdgeForm.vue'
import EdgeWorth from '../edges/EdgeWorth.vue'
import { joinCommand } from '../edges/edge-words.ts'
import { useProblems } from '../stores/problems.ts'
import ModalDialog from '../ui/ModalDialog.vue'
import NoteBox from '../ui/NoteBox.vue'
import WhenSeen from '../ui/WhenSeen.vue'

/** Machines near visitors that serve what home has made. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const SECTIONS = [
  { id: 'own', title: 'Your edges' },
  { id: 'regions', title: 'Choose regions' },
  { id: 'rented', title: 'Rented CDN' },
  { id: 'going-live', title: 'Going live' },
] as const
const section = ref<(typeof SECTIONS)[number]['id']>(
  SECTIONS.find(({ id }) => id === useRoute()?.query['part'])?.id ?? 'own',
)

const GoingLivePanel = defineAsyncComponent(() => import('../golive/GoingLivePanel.vue'))
const RegionsPanel = defineAsyncComponent(() => import('../edges/RegionsPanel.vue'))
const RentedCdnPanel = defineAsyncComponent(() => import('../cdn/RentedCdnPanel.vue'))
const PlaceMap = defineAsyncComponent(() => import('../charts/PlaceMap.vue'))

const edges = shallowRef<readonly EdgeInfo[] | null>(null)
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', '/edges', z.array(EdgeInfo)))
  if (came !== undefined) edges.value = came
}
void load()
/** Figures come from the edges every two seconds. */
const EVERY_MS = 3000
const watching = window.setInterval(() => {
  if (document.visibilityState !== 'visible') return
  void callApi('GET', '/edges', z.array(EdgeInfo)).then(
    (came) => (edges.value = came),
    () => undefined,
  )
}, EVERY_MS)
onBeforeUnmount(() => window.clearInterval(watching))

const editing = shallowRef<EdgeInfo | 'new' | null>(null)
const removing = shallowRef<EdgeInfo | null>(null)
const working = ref(false)
/** Shown once: control keeps only its digest. */
const joining = shallowRef<EdgeWithToken | null>(null)
const command = computed(() => (joining.value === null ? '' : joinCommand(window.location.origin, joining.value.token)))

const save = async (draft: EdgeDraft): Promise<void> => {
  working.value = true
  await problems.catching(async () => {
    if (editing.value === 'new') joining.value = await callApi('POST', '/edges', EdgeWithToken, draft)
    else if (editing.value !== null) await callApi('PUT', `/edges/${editing.value.id}`, EdgeInfo, draft)
    editing.value = null
    await load()
  })
  working.value = false
}
const fill = async ({ id }: EdgeInfo): Promise<void> => {
  await problems.catching(() => callApi('POST', `/edges/${id}/fills`, z.object({ pages: z.int() })))
  await load()
}
const newToken = async (): Promise<void> => {
  const edge = editing.value
  if (edge === null || edge === 'new') return
  await problems.catching(async () => {
    joining.value = await callApi('POST', `/edges/${edge.id}/tokens`, EdgeWithToken, {})
    editing.value = null
  })
}
const remove = async (): Promise<void> => {
  const edge = removing.value
  removing.value = null
  editing.value = null
  if (edge === null) return
  await problems.catching(() => callApi('DELETE', `/edges/${edge.id}`))
  if (joining.value?.edge.id === edge.id) joining.value = null
  await load()
}

const places = computed(() => [
  ...(props.site.places.origin === null ? [] : [{ place: props.site.places.origin, kind: 'origin' as const }]),
  ...(edges.value ?? []).flatMap(({ place }) => (place === null ? [] : [{ place, kind: 'edge' as const }])),
  ...props.site.visitors.flatMap(({ place }) => (place === null ? [] : [{ place, kind: 'visitor' as const }])),
])
</script>

<template>
  <h1>Edges</h1>
  <p>
    An edge is Zest Lamp on another machine, near visitors who are far from your server. It asks the store here (home)
    for what it does not have, so your server is asked no more often than now.
  </p>
  <div class="bar tabs" role="tablist" aria-label="Parts of the edges">
    <v-btn
      v-for="one in SECTIONS"
      :id="`tab-${one.id}`"
      :key="one.id"
      role="tab"
      size="small"
      :variant="section === one.id ? 'flat' : 'outlined'"
      :color="section === one.id ? 'primary' : undefined"
      :aria-selected="section === one.id"
      aria-controls="edges-part"
      @click="section = one.id"
      >{{ one.title }}</v-btn
    >
  </div>
  <div id="edges-part" role="tabpanel" :aria-labelledby="`tab-${section}`">
    <GoingLivePanel v-if="section === 'going-live'" :site="site" />
    <RentedCdnPanel v-else-if="section === 'rented'" :site="site" />
    <RegionsPanel v-else-if="section === 'regions'" :site="site" :edges="edges ?? []" />
    <i v-else-if="edges === null" class="bone tall" role="status" aria-label="Loading" />
    <template v-else>
      <EdgeTable
        v-if="edges.length > 0"
        :edges="edges"
        :site="site"
        @change="(edge) => (editing = edge)"
        @fill="fill"
      />
      <p v-else class="muted">No edge yet. A machine with Node and two open ports is all it takes.</p>
      <NoteBox v-if="joining !== null" kind="info" class="joining">
        <p>
          On the machine that is to be <b>{{ joining.edge.name }}</b>, with Zest Lamp’s folder and Node 20, enter this.
          The token works once, and is not shown again.
        </p>
        <pre class="command" tabindex="0" aria-label="Command">{{ command }}</pre>
        <v-btn size="small" @click="joining = null">I have it</v-btn>
      </NoteBox>
      <EdgeForm
        v-if="editing !== null"
        :key="editing === 'new' ? 'new' : editing.id"
        :edge="editing === 'new' ? null : editing"
        :site-id="site.id"
        :working="working"
        @save="save"
        @cancel="editing = null"
        @token="newToken"
        @remove="removing = editing === 'new' ? null : editing"
      />
      <v-btn v-else class="add" size="small" color="primary" variant="outlined" @click="editing = 'new'"
        >Add an edge</v-btn
      >
      <EdgeWorth v-if="edges.some(({ state }) => state === 'connected')" :site="site" :edges="edges" />
      <template v-if="places.length > 0">
        <h2>Where</h2>
        <WhenSeen><PlaceMap :places="places" /></WhenSeen>
      </template>
    </template>
  </div>
  <ModalDialog
    :model-value="removing !== null"
    :label="`Remove ${removing?.name ?? 'the edge'}`"
    @update:model-value="removing = null"
  >
    <h2>Remove {{ removing?.name }}?</h2>
    <p>Its machine gets nothing here any more. Take it out of the DNS first, or visitors keep going there.</p>
    <div class="bar">
      <v-btn @click="removing = null">Keep it</v-btn>
      <v-btn color="error" variant="flat" @click="remove">Remove</v-btn>
    </div>
  </ModalDialog>
</template>

<style scoped>
.tabs {
  margin: 0.6rem 0 0.8rem;
}
.add {
  margin: 0.6rem 0;
}
.joining {
  margin: 0.8rem 0;
}
.command {
  overflow-x: auto;
  padding: 0.5rem 0.7rem;
  margin: 0.4rem 0;
  border: 1px solid rgba(var(--v-theme-on-surface), 0.2);
}
</style>
