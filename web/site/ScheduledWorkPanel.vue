<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { Site, type ScheduledWork } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import { when } from '../format/show.ts'
import ActionButton from '../ui/ActionButton.vue'

/** An address that sets the site's scheduled work going: called every so many minutes, since visitors who get stored pages do not. */
const props = defineProps<{ site: Site }>()
const EVERY = 5
const path = ref('')
const minutes = ref(EVERY)
const proposed = computed(
  () => props.site.check.findings.find(({ code }) => code === 'scheduled-work')?.evidence[0] ?? '',
)
watch(
  () => props.site.scheduledWork,
  (saved) => {
    path.value = saved?.path ?? proposed.value
    minutes.value = saved?.everyMinutes ?? EVERY
  },
  { immediate: true },
)
const put = (scheduledWork: ScheduledWork | null): Promise<Site> =>
  callApi('PUT', `/sites/${props.site.id}/scheduled-work`, Site, { scheduledWork })
const { saving, save } = useSaving(() => put({ path: path.value.trim(), everyMinutes: minutes.value }))
const { saving: ending, save: end } = useSaving(() => put(null))
</script>

<template>
  <p class="muted small">
    Content systems publish scheduled posts when a request reaches them. While visitors get stored pages, no request
    does.
    <template v-if="proposed !== '' && site.scheduledWork === null"
      >The home page calls <code>{{ proposed }}</code> for it.</template
    >
  </p>
  <form class="bar" @submit.prevent="save">
    <v-text-field v-model="path" class="path" label="Address to call" placeholder="/cron" />
    <v-text-field
      v-model.number="minutes"
      class="minutes"
      type="number"
      min="1"
      max="1440"
      suffix="minutes"
      label="Every"
    />
    <ActionButton size="small" :disabled="path.trim() === ''" :under-way="saving" @click="save">Call it</ActionButton>
    <ActionButton v-if="site.scheduledWork" size="small" :under-way="ending" @click="end">Stop calling it</ActionButton>
  </form>
  <p v-if="site.scheduledWork?.last" role="status" :class="{ failed: site.scheduledWork.last.problem !== null }">
    {{ site.scheduledWork.last.problem ?? `Called ${when(site.scheduledWork.last.at)}; it answered.` }}
  </p>
</template>

<style scoped>
.path {
  flex: 1 1 16rem;
  max-width: 30rem;
}
.minutes {
  flex: 0 0 9rem;
}
.failed {
  color: rgb(var(--v-theme-error));
}
</style>
