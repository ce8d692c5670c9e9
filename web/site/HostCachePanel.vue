<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { Site, type HostCache } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import { when } from '../format/show.ts'
import ActionButton from '../ui/ActionButton.vue'

/** A cache at the host that stands between Zest Lamp and the pages: how to purge it too. */
const props = defineProps<{ site: Site }>()
const draft = ref<Omit<HostCache, 'fields'> & { fields: string }>({
  method: '',
  address: '',
  everything: '',
  fields: '',
})
watch(
  () => props.site.hostCache,
  (saved) => {
    draft.value = {
      method: saved?.method ?? 'PURGE',
      address: saved?.address ?? '{path}',
      everything: saved?.everything ?? '/*',
      fields: (saved?.fields ?? []).map(({ name, value }) => `${name}: ${value}`).join('\n'),
    }
  },
  { immediate: true },
)
const found = computed(() => props.site.check.findings.find(({ code }) => code === 'accelerator'))
const fields = (): HostCache['fields'] =>
  draft.value.fields
    .split('\n')
    .filter((line) => line.trim() !== '')
    .map((line) => {
      const mark = line.indexOf(':')
      return { name: line.slice(0, mark).trim(), value: line.slice(mark + 1).trim() }
    })
const put = (hostCache: HostCache | null): Promise<Site> =>
  callApi('PUT', `/sites/${props.site.id}/host-cache`, Site, { hostCache })
const { saving, save } = useSaving(() => put({ ...draft.value, fields: fields() }))
const { saving: removing, save: remove } = useSaving(() => put(null))
</script>

<template>
  <p class="muted small">
    {{
      found?.sentence ??
      'The responses of your server show no cache. If your host has one anyway, it would keep serving old pages after a change: switch it off, or describe here how to purge it.'
    }}
  </p>
  <form class="fields" @submit.prevent="save">
    <v-text-field v-model="draft.method" label="Method" hint="See your host’s manual." persistent-hint />
    <v-text-field
      v-model="draft.address"
      label="Address of the request"
      hint="{path} stands for the page that changed. Enter a path, or a full address on one of your hosts."
      persistent-hint
    />
    <v-text-field v-model="draft.everything" label="{path} when everything has changed" />
    <v-textarea
      v-model="draft.fields"
      label="Header fields to send, one per line"
      placeholder="x-purge-key: …"
      rows="1"
      auto-grow
    />
    <div class="bar">
      <ActionButton size="small" :under-way="saving" @click="save">Save and try now</ActionButton>
      <ActionButton v-if="site.hostCache" size="small" :under-way="removing" @click="remove"
        >Stop purging it</ActionButton
      >
    </div>
  </form>
  <p v-if="site.hostCache?.last" role="status" :class="{ failed: site.hostCache.last.problem !== null }">
    {{
      site.hostCache.last.problem ??
      `It took the last request, ${when(site.hostCache.last.at)}. Whatever is purged here is purged there first.`
    }}
  </p>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  align-items: start;
  gap: 0.8rem;
  max-width: 46rem;
}
.bar {
  grid-column: 1 / -1;
}
.failed {
  color: rgb(var(--v-theme-error));
}
@media (max-width: 600px) {
  .fields {
    grid-template-columns: 1fr;
  }
}
</style>
