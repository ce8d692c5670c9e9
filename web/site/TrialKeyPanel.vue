<script setup lang="ts">
import { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import { trialLink } from '../format/show.ts'
import ActionButton from '../ui/ActionButton.vue'

/** Who may see the trial: the link with its key, and a new key when the link has gone too far. */
const props = defineProps<{ site: Site; disabled: boolean }>()
const { saving, save } = useSaving(() => callApi('POST', `/sites/${props.site.id}/trial-key`, Site))
</script>

<template>
  <p class="muted">
    The trial opens only with this link, which sets a cookie for one month. Search engines are kept out. Share the link
    with everyone who should see the trial.
  </p>
  <details>
    <summary>Show the link</summary>
    <code class="link">{{ trialLink(site) }}</code>
  </details>
  <p class="bar">
    <ActionButton size="small" :under-way="saving" :disabled="disabled" @click="save">Create a new key</ActionButton>
    <span class="muted small">The old link stops working at once. Visitors notice nothing.</span>
  </p>
</template>

<style scoped>
.link {
  overflow-wrap: anywhere;
}
</style>
