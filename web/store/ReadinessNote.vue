<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, shallowRef, watch } from 'vue'
import { Readiness } from '../../core/contracts/delivery.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { howMany } from '../format/show.ts'

/** How much of what the setup makes of pages and pictures is there, and what visitors get until it is. */
const props = defineProps<{ site: Site; always?: boolean }>()
const siteData = useSite()
const state = shallowRef<Readiness | null>(null)
/** Most that was seen waiting, so that progress can be told. */
const most = shallowRef(0)
const left = computed(() => (state.value === null ? 0 : state.value.pages + state.value.waiting))

const EVERY_MS = 3000
const load = async (): Promise<void> => {
  // Delivery that is down says so elsewhere.
  state.value = await callApi('GET', `/sites/${props.site.id}/readiness`, Readiness).catch(() => null)
  most.value = left.value === 0 ? 0 : Math.max(most.value, left.value)
}
onMounted(load)
watch(() => siteData.liveVersion?.number, load)
const looking = window.setInterval(() => {
  if (left.value > 0 && document.visibilityState === 'visible') void load()
}, EVERY_MS)
onBeforeUnmount(() => window.clearInterval(looking))

const sentence = computed(() => {
  if (state.value === null) return ''
  const { pages, waiting, pictures, picturesMade } = state.value
  const made = `${howMany(picturesMade, 'picture')} converted`
  const waits = [
    ...(pages > 0
      ? [
          `${howMany(pages, 'page')} made with the previous setup ${pages === 1 ? 'is' : 'are'} being updated; until then visitors get the old ${pages === 1 ? 'one' : 'ones'}`,
        ]
      : []),
    ...(waiting - pictures > 0 ? [`${howMany(waiting - pictures, 'page')} still being rewritten`] : []),
    ...(pictures > 0
      ? [
          `${howMany(pictures, 'picture')} still to be converted; until then visitors get a quick version or the original`,
        ]
      : []),
  ]
  return waits.length === 0 ? `${made}; nothing is waiting.` : `${made}. ${waits.join('. ')}.`
})
</script>

<template>
  <div v-if="state && (left > 0 || (always && state.picturesMade > 0))" class="readiness" role="status">
    <v-progress-linear
      v-if="left > 0"
      class="progress"
      color="primary"
      height="8"
      :model-value="most === 0 ? 0 : (100 * (most - left)) / most"
      aria-label="Pages and pictures that are ready"
    />
    <p>{{ sentence }}</p>
  </div>
</template>

<style scoped>
.readiness {
  display: flex;
  gap: 0.8rem;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 0.6rem;
}
.progress {
  width: 160px;
  flex: none;
}
p {
  margin: 0;
}
</style>
