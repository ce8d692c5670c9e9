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
    Nobody comes across the trial by chance: it opens with this link, which puts its key into a cookie for a month, and
    tells search engines to stay away. Give the link to whoever should look at it with you.
  </p>
  <details>
    <summary>Show the link</summary>
    <code class="link">{{ trialLink(site) }}</code>
  </details>
  <p class="bar">
    <ActionButton size="small" :under-way="saving" :disabled="disabled" @click="save">Make a new key</ActionButton>
    <span class="muted small">Whoever has the old link is shut out at once. Visitors notice nothing.</span>
  </p>
</template>

<style scoped>
.link {
  overflow-wrap: anywhere;
}
summary {
  cursor: pointer;
}
</style>
