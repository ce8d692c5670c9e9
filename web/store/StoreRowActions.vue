<script setup lang="ts">
import { ref } from 'vue'
import { z } from 'zod'
import { PurgeResult } from '../../core/contracts/delivery.ts'
import { Confirmation } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'

/** What can be done with one address of the store. */
const props = defineProps<{ siteId: string; address: string; noRefresh?: boolean; noPurge?: boolean }>()
const emit = defineEmits<{ explain: []; changed: [] }>()
const problems = useProblems()
const working = ref<'refresh' | 'purge' | undefined>()

const work = async (what: 'refresh' | 'purge', call: () => Promise<unknown>): Promise<void> => {
  working.value = what
  await problems.catching(call)
  working.value = undefined
  emit('changed')
}
const refresh = (): Promise<void> =>
  work('refresh', () =>
    callApi('POST', `/sites/${props.siteId}/refreshes`, z.array(Confirmation), { paths: [props.address] }),
  )
const purge = (): Promise<void> =>
  work('purge', () =>
    callApi('POST', `/sites/${props.siteId}/purges`, PurgeResult, { kind: 'paths', paths: [props.address] }),
  )
</script>

<template>
  <span class="actions">
    <ActionButton
      size="x-small"
      :disabled="noRefresh"
      :under-way="working === 'refresh'"
      :aria-label="`Refresh ${address}`"
      @click="refresh"
      >Refresh</ActionButton
    >
    <ActionButton
      size="x-small"
      :disabled="noPurge"
      :under-way="working === 'purge'"
      :aria-label="`Purge ${address}`"
      @click="purge"
      >Purge</ActionButton
    >
    <v-btn size="x-small" :aria-label="`Explain ${address}`" @click="emit('explain')">Explain</v-btn>
  </span>
</template>

<style scoped>
.actions {
  white-space: nowrap;
}
.actions .zest-button + .zest-button {
  margin-left: 0.3rem;
}
</style>
