<script setup lang="ts">
import { computed } from 'vue'
import { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'

/** As long as nothing tells of changes: that pages are kept for a short time, why, and the ways out. */
const props = defineProps<{ site: Site }>()
const { saving, save } = useSaving(() => callApi('PUT', `/sites/${props.site.id}/watch`, Site, { lifetimes: 'as-set' }))
const shown = computed(() => props.site.changes.told === null && props.site.changes.lifetimes === 'short')
const why = computed(() => {
  const { watching } = props.site.changes
  if (!watching.enabled) return 'Watching the site is switched off.'
  if (watching.at === null) return 'Zest Lamp is about to look for feeds and dates that show changes.'
  if (watching.problem !== null) return `Watching the site failed: ${watching.problem}`
  return 'The site has no feed and no sitemap with dates that would show changes.'
})
</script>

<template>
  <NoteBox v-if="shown" kind="warning" class="changes-notice">
    <p>
      <b>Pages are stored for at most 10 minutes</b>, because nothing tells Zest Lamp when you change a page. {{ why }}
    </p>
    <p class="bar">
      <v-btn size="small" :to="{ name: 'site', params: { siteId: site.id }, hash: '#changes' }"
        >Connect your content system</v-btn
      >
      <ActionButton size="small" :under-way="saving" @click="save">Use my lifetimes anyway</ActionButton>
    </p>
  </NoteBox>
</template>

<style scoped>
.changes-notice {
  margin-bottom: 0.9rem;
}
.bar {
  margin-top: 0.5rem;
}
</style>
