<script setup lang="ts">
import { computed } from 'vue'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { useSite } from '../stores/site.ts'
import { useSaving } from '../stores/saving.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'

/** A site that gives every visitor a session: that nothing of it is shared, and the way out. */
const props = defineProps<{ site: Site; disabled?: boolean }>()
const siteData = useSite()
const cookies = computed(
  () => props.site.check.findings.find(({ code }) => code === 'sessions-everywhere')?.evidence ?? [],
)
const shown = computed(() => {
  const cache = siteData.trial?.setup.remedies.pageCache
  return (
    cookies.value.length > 0 &&
    cache?.enabled === true &&
    cache.kinds.every(({ sessionCookies }) => sessionCookies.length === 0)
  )
})

/** Last, so that kinds with rules of their own count before it. */
const withSessions = (): Setup => {
  const setup = structuredClone(siteData.trial!.setup) as Setup
  setup.remedies.pageCache.kinds.push({
    name: 'Visitors without a session',
    paths: ['/*'],
    lifetimeS: null,
    overrule: false,
    ignoredCookies: [],
    sessionCookies: [...cookies.value],
  })
  return setup
}
const { saving, save } = useSaving(() => siteData.saveTrial(withSessions()))
</script>

<template>
  <NoteBox v-if="shown" kind="warning" class="sessions-notice">
    <p>
      <b>No page of this site can be shared so far</b>, because it gives every visitor a session ({{
        cookies.join(', ')
      }}). Pages can be shared until a visitor signs in, fills a basket or sends a form; a privacy check with two
      accounts proves that before it goes live.
    </p>
    <p class="bar">
      <ActionButton size="small" :disabled="disabled" :under-way="saving" @click="save"
        >Share pages until the session holds something</ActionButton
      >
    </p>
  </NoteBox>
</template>

<style scoped>
.sessions-notice {
  margin-bottom: 0.9rem;
}
.bar {
  margin-top: 0.5rem;
}
</style>
