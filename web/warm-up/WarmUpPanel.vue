<script setup lang="ts">
import { computed, defineAsyncComponent, ref, shallowRef, watch } from 'vue'
import { Job } from '../../core/contracts/jobs.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { WarmUpState, type WarmUpOrder } from '../../core/contracts/warm-up.ts'
import { callApi } from '../api/client.ts'
import ColdVisits from '../charts/ColdVisits.vue'
import { whole } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'
import CopyTimeline from './CopyTimeline.vue'
import WarmUpAddresses from './WarmUpAddresses.vue'
import WarmUpRounds from './WarmUpRounds.vue'

const WarmUpSettingsForm = defineAsyncComponent(() => import('./WarmUpSettingsForm.vue'))

/** Warm-up: pages are loaded before visitors ask for them, so that nobody waits for the origin to build one. */
const props = defineProps<{ site: Site }>()
const emit = defineEmits<{ explain: [address: string]; changed: [] }>()
const problems = useProblems()
const siteData = useSite()
const jobs = useJobs()

const state = shallowRef<WarmUpState | null>(null)
const kind = ref<string | null>(null)
const starting = ref(false)
const version = ref(0)
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', `/sites/${props.site.id}/warm-up`, WarmUpState))
  if (came === undefined) return
  state.value = came
  version.value++
}
const job = computed(() => jobs.warmUpOf(props.site.id))
/** Figures are loaded again when a round begins, ends, and now and then in between. */
const EVERY = 20
watch(
  () => [job.value?.id, Math.floor((job.value?.done ?? 0) / EVERY)],
  () => {
    void load()
    emit('changed')
  },
  { immediate: true },
)

const start = async (order: WarmUpOrder): Promise<void> => {
  starting.value = true
  await problems.catching(() => callApi('POST', `/sites/${props.site.id}/warm-up/rounds`, Job, order))
  starting.value = false
  await load()
}
const startChosen = (): Promise<void> =>
  start(kind.value === null ? { what: 'all' } : { what: 'kind', kind: kind.value })
const pause = async (paused: boolean): Promise<void> => {
  const came = await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/warm-up/pause`, WarmUpState, { paused }),
  )
  if (came !== undefined) state.value = came
}

const saved = (came: WarmUpState): void => {
  state.value = came
}
const cancel = (id: string): Promise<unknown> => problems.catching(() => jobs.cancel(id))

const live = computed(() => siteData.traffic?.channels.find(({ channel }) => channel === 'live'))
const list = computed(() => {
  if (state.value === null) return ''
  const { addresses, waiting, settings, paused } = state.value
  const own = settings.automatic
    ? 'Rounds start automatically.'
    : 'Rounds start only when you ask for one; the settings can change that.'
  if (addresses === 0 && waiting === 0) return `The list is read with the first round. ${own}`
  return `${whole(addresses)} ${addresses === 1 ? 'address' : 'addresses'} in the list${waiting > 0 ? `, ${whole(waiting)} waiting` : ''}. ${paused ? 'Paused.' : own}`
})
</script>

<template>
  <i v-if="!state" class="bone tall" role="status" aria-label="Loading" />
  <template v-else>
    <p class="intro">
      A warm-up loads pages into the store before visitors ask for them, so that nobody waits for your server (origin)
      to build one. {{ list }}
    </p>
    <NoteBox v-if="state.problem" kind="warning">{{ state.problem }}</NoteBox>
    <NoteBox v-if="state.fits" kind="warning">{{ state.fits }}</NoteBox>
    <div class="bar start">
      <SelectField
        v-if="state.kinds.length > 0"
        v-model="kind"
        class="kind"
        label="Load"
        none="All addresses"
        :items="state.kinds"
      />
      <ActionButton
        color="primary"
        variant="flat"
        :disabled="state.pageCache === 'off' || job !== undefined"
        :under-way="starting"
        @click="startChosen"
        >Warm up now</ActionButton
      >
      <v-btn v-if="state.paused" @click="pause(false)">Go on</v-btn>
      <v-btn v-else-if="job" @click="pause(true)">Pause</v-btn>
      <v-btn v-if="job" @click="cancel(job.id)">Cancel round</v-btn>
    </div>
    <details>
      <summary>What is loaded, how fast and when</summary>
      <WarmUpSettingsForm :site="site" :state="state" @saved="saved" />
    </details>
    <p v-if="state.rounds[0]" class="last" role="status">
      <b>{{ job ? 'This round:' : 'Last round:' }}</b> {{ state.rounds[0].sentence }}
    </p>
    <ul v-if="state.leftOut.length > 0" class="small left-out">
      <li v-for="one in state.leftOut" :key="one.why">Not loaded: {{ whole(one.addresses) }}. {{ one.why }}.</li>
    </ul>
    <template v-if="state.pageCache === 'on'">
      <h2>How long pages hold</h2>
      <CopyTimeline v-for="life in state.lives" :key="life.kind" :life="life" />
    </template>
    <template v-if="live && live.course.length > 0">
      <h2>Cold visits</h2>
      <ColdVisits :days="live.days" :course="live.course" :rounds="state.rounds" />
    </template>
    <WarmUpAddresses :site="site" :version="version" @explain="emit('explain', $event)" @warm="start" />
    <WarmUpRounds v-if="state.rounds.length > 0" :rounds="state.rounds" />
  </template>
</template>

<style scoped>
.intro,
.last {
  max-width: none;
}
.start {
  justify-content: flex-start;
  margin: 0.8rem 0 0.4rem;
}
.kind {
  flex: 0 1 240px;
}
.left-out {
  margin: 0.2rem 0 0.6rem;
  padding-left: 1.2rem;
}
</style>
