<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { z } from 'zod'
import { EdgeInfo } from '../../core/contracts/edges.ts'
import { Job } from '../../core/contracts/jobs.ts'
import type { LoadTarget, LoadTestOrder } from '../../core/contracts/load-tests.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'

/** Whom to send visitors to, how many at most, and the owner's word that the site is theirs. */
const props = defineProps<{ site: Site; busy: boolean }>()
const emit = defineEmits<{ ordered: [job: Job] }>()
const problems = useProblems()

const edges = ref<readonly EdgeInfo[]>([])
const chosen = ref<string[]>(['origin', 'live'])
const targets = computed<{ key: string; target: LoadTarget; title: string }[]>(() => [
  { key: 'origin', target: { kind: 'origin' }, title: `Origin: ${props.site.address}` },
  { key: 'live', target: { kind: 'live' }, title: `Live: ${props.site.liveUrl}` },
  ...edges.value
    .filter(({ state, address }) => state === 'connected' && address !== null)
    .map(({ id, name }) => ({ key: id, target: { kind: 'edge', edgeId: id } as const, title: `Edge: ${name}` })),
])
const most = ref('50')
const stepS = ref('6')
const waitS = ref('2')
const errorPercent = ref('2')
const signedIn = ref(false)
const signInPath = ref('/sign-in')
const cookie = ref('')
const agreed = ref(false)
const starting = ref(false)

const loadEdges = async (): Promise<void> => {
  const all = await problems.catching(() => callApi('GET', '/edges', z.array(EdgeInfo)))
  edges.value = (all ?? []).filter(({ siteIds }) => siteIds === null || siteIds.includes(props.site.id))
}
watch(() => props.site.id, loadEdges, { immediate: true })

const order = computed<LoadTestOrder>(() => ({
  targets: targets.value.filter(({ key }) => chosen.value.includes(key)).map(({ target }) => target),
  bounds: {
    mostPerSecond: Number(most.value),
    stepS: Number(stepS.value),
    waitMs: Number(waitS.value) * 1000,
    errorPercent: Number(errorPercent.value),
  },
  signedIn: signedIn.value
    ? { path: signInPath.value, how: { kind: 'cookie' as const, cookie: cookie.value.trim() } }
    : null,
  agreed: true,
}))
const complete = computed(
  () => agreed.value && order.value.targets.length > 0 && (!signedIn.value || cookie.value.trim() !== ''),
)
const start = async (): Promise<void> => {
  starting.value = true
  const job = await problems.catching(() => callApi('POST', `/sites/${props.site.id}/load-tests`, Job, order.value))
  starting.value = false
  if (job === undefined) return
  // What was pasted is not kept here either, and the next test needs its own word.
  cookie.value = ''
  agreed.value = false
  emit('ordered', job)
}
</script>

<template>
  <form class="panel form" @submit.prevent="start">
    <fieldset>
      <legend>Where visitors go</legend>
      <v-checkbox
        v-for="{ key, title } in targets"
        :key="key"
        v-model="chosen"
        :value="key"
        :label="title"
        hide-details
        density="compact"
      />
      <p class="muted small">One after the other, each with more and more visitors until a limit is reached.</p>
      <v-checkbox v-model="signedIn" label="Visitors are signed in" hide-details density="compact" />
      <v-text-field
        v-if="signedIn"
        v-model="cookie"
        label="Cookies of a signed-in browser (paste its Cookie header)"
        hint="Used for this test only, and not saved."
        persistent-hint
        autocomplete="off"
      />
    </fieldset>
    <fieldset>
      <legend>It ends at</legend>
      <div class="fields">
        <v-text-field v-model="most" type="number" min="1" max="1000" label="Visitors a second, at most" />
        <v-text-field v-model="stepS" type="number" min="3" max="60" label="Seconds at each rate" />
        <v-text-field v-model="waitS" type="number" min="0.05" max="30" step="0.05" label="Longest wait, seconds" />
        <v-text-field v-model="errorPercent" type="number" min="0.1" max="50" step="0.1" label="Errors, percent" />
      </div>
      <p class="muted small">
        One page in 20 may take longer than the longest wait. Pages are requested in the shares in which your visitors
        request them, once they have been counted; until then the sample pages in equal shares.
      </p>
      <v-checkbox v-model="agreed" hide-details>
        <template #label
          ><span>This site is mine to test. Its visitors will notice the load while the test runs.</span></template
        >
      </v-checkbox>
      <div class="bar">
        <ActionButton type="submit" color="primary" variant="flat" :disabled="!complete || busy" :under-way="starting"
          >Start the load test</ActionButton
        >
        <span v-if="busy" class="muted small">A measurement or test is under way, see below.</span>
      </div>
    </fieldset>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(22rem, 100%), 1fr));
  gap: 0.6rem 2rem;
}
fieldset {
  border: 0;
  padding: 0;
  min-width: 0;
}
.bar {
  margin-top: 0.6rem;
}
.fields {
  margin-top: 0.4rem;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(11rem, 1fr));
  gap: 0.6rem;
}
</style>
