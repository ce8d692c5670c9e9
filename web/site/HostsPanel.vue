<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, ref, watch } from 'vue'
import { Site, type SiteHosts } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'

/** Which hosts besides the origin may be asked on the owner's behalf. */
const props = defineProps<{ site: Site }>()
const hosts = ref<SiteHosts>({ added: [], privateAddresses: 'refused' })
watch(
  () => props.site.hosts,
  (saved) => (hosts.value = { ...saved, added: [...saved.added] }),
  { immediate: true },
)
const added = computed({
  get: () => hosts.value.added.join('\n'),
  set: (text: string) => (hosts.value.added = text.split(/[\s,]+/)),
})
const changed = computed(() => JSON.stringify(hosts.value) !== JSON.stringify(props.site.hosts))
const { saving, save } = useSaving(async () => {
  await callApi('PUT', `/sites/${props.site.id}/hosts`, Site, {
    ...hosts.value,
    added: hosts.value.added.filter((host) => host !== ''),
  })
})
</script>

<template>
  <p class="muted small">
    Checks contact only your server (origin), live, the trial, and the hosts listed here. Hosts with a private or
    link-local address, or this machine, are contacted only if you allow it.
  </p>
  <form class="bar" @submit.prevent="save">
    <v-textarea
      v-model="added"
      class="hosts"
      rows="2"
      auto-grow
      label="Other hosts of the site, one per line"
      placeholder="media.harbour.example"
    />
    <v-switch
      :model-value="hosts.privateAddresses === 'allowed'"
      label="Allow private addresses"
      @update:model-value="(on: unknown) => (hosts.privateAddresses = on ? 'allowed' : 'refused')"
    />
    <ActionButton type="submit" size="small" :disabled="!changed" :under-way="saving">Save hosts</ActionButton>
  </form>
</template>

<style scoped>
.hosts {
  flex: 1 1 300px;
  max-width: 560px;
}
</style>
