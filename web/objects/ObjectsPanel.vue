<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { ObjectsPassword, ObjectsState } from '../../core/contracts/objects.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import NextStep from '../ui/NextStep.vue'
import NoteBox from '../ui/NoteBox.vue'
import MemoryWorth from './MemoryWorth.vue'
import ObjectsConnect from './ObjectsConnect.vue'
import ObjectsFlush from './ObjectsFlush.vue'
import ObjectsGroups from './ObjectsGroups.vue'
import ObjectsGuide from './ObjectsGuide.vue'
import ObjectsSettingsForm from './ObjectsSettingsForm.vue'
import ObjectsUse from './ObjectsUse.vue'
import ObjectsWorth from './ObjectsWorth.vue'

/** The object cache: what a content system keeps of its database, so that pages that cannot be stored are built faster. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()

const state = shallowRef<ObjectsState | null>(null)
const made = shallowRef<ObjectsPassword | null>(null)
const working = ref(false)
const path = computed(() => `/sites/${props.site.id}/objects`)
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', path.value, ObjectsState))
  if (came !== undefined) state.value = came
}
watch(path, () => void load(), { immediate: true })

/** Figures are looked at while they change. */
const EVERY_MS = 3000
const watching = window.setInterval(() => {
  if (document.visibilityState === 'visible' && state.value?.settings.enabled === true)
    callApi('GET', path.value, ObjectsState).then(
      (came) => (state.value = came),
      () => undefined,
    )
}, EVERY_MS)
onBeforeUnmount(() => window.clearInterval(watching))

const makePassword = async (): Promise<void> => {
  working.value = true
  const came = await problems.catching(() => callApi('POST', `${path.value}/password`, ObjectsPassword))
  if (came !== undefined) made.value = came
  await load()
  working.value = false
}
const switchOn = async (): Promise<void> => {
  if (state.value === null) return
  working.value = true
  const settings = { ...state.value.settings, enabled: true }
  const came = await problems.catching(() => callApi('PUT', path.value, ObjectsState, settings))
  if (came !== undefined) state.value = came
  if (came !== undefined && !came.connection.hasPassword) await makePassword()
  working.value = false
}
const isUsed = computed(() => (state.value?.usage?.counts.commands ?? 0) > 0)
</script>

<template>
  <i v-if="state === null" class="bone tall" role="status" aria-label="Loading" />
  <template v-else>
    <NextStep
      v-if="!state.settings.enabled"
      sentence="Your content system can keep results of its database in an object cache, so that pages for signed-in visitors and baskets are built faster. It is off."
      action="Switch on the object cache"
      :under-way="working"
      @go="switchOn"
    />
    <template v-else>
      <NoteBox v-if="state.problem" kind="error" class="note">{{ state.problem }}</NoteBox>
      <NoteBox v-if="state.usage?.outside?.problem" kind="warning" class="note" role="status">
        {{ state.usage.outside.problem }}
      </NoteBox>
      <ObjectsConnect
        :connection="state.connection"
        :made="made"
        :usage="state.usage"
        :open="!isUsed || made !== null"
        :under-way="working"
        @password="makePassword"
      />
      <template v-if="state.usage && isUsed">
        <ObjectsUse :usage="state.usage" />
        <ObjectsWorth :site="site" :missing-until="state.usage.missingUntil" @decided="(came) => (state = came)" />
        <MemoryWorth :usage="state.usage" />
        <ObjectsGroups :usage="state.usage" />
        <ObjectsFlush :site="site" :groups="state.usage.groups" @changed="load" />
      </template>
    </template>
    <ObjectsGuide />
    <ObjectsSettingsForm :site="site" :state="state" @saved="(came) => (state = came)" />
  </template>
</template>

<style scoped>
.note {
  margin-bottom: 0.8rem;
}
</style>
