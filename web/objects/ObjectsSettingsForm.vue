<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { ObjectsState, type ObjectsSettings } from '../../core/contracts/objects.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'

/** Whether there is an object cache, and its bounds. */
const props = defineProps<{ site: Site; state: ObjectsState }>()
const emit = defineEmits<{ saved: [state: ObjectsState] }>()

const MB = 1_000_000
const KB = 1000
const HOUR_S = 3600
const COMPRESS = [1, 4, 16, 64].map((kb) => ({ value: kb * KB, title: `from ${kb} kB on` }))
const settings = ref<ObjectsSettings>({ ...props.state.settings })
watch(
  () => JSON.stringify(props.state.settings),
  () => (settings.value = { ...props.state.settings }),
)
const isOutside = computed(() => (props.state.usage?.outside ?? null) !== null)
const changed = computed(() => JSON.stringify(settings.value) !== JSON.stringify(props.state.settings))
const { saving, save } = useSaving(async () => {
  emit('saved', await callApi('PUT', `/sites/${props.site.id}/objects`, ObjectsState, settings.value))
})
const number = (value: unknown, use: (given: number) => void): void => {
  if (value !== '' && value !== null && Number.isFinite(Number(value))) use(Number(value))
}
const hours = (value: unknown): void => {
  settings.value.lifetimeS =
    value === '' || value === null || Number(value) <= 0 ? null : Math.max(1, Math.round(Number(value) * HOUR_S))
}
</script>

<template>
  <form class="settings" @submit.prevent="save">
    <fieldset>
      <legend>Settings</legend>
      <v-checkbox v-model="settings.enabled" label="Object cache on" />
      <v-text-field
        type="number"
        min="4"
        label="Memory (MB)"
        :model-value="settings.memoryBytes / MB"
        @update:model-value="number($event, (given) => (settings.memoryBytes = Math.round(given * MB)))"
      />
      <v-text-field
        type="number"
        min="1"
        label="Largest value (kB)"
        :model-value="settings.largestValueBytes / KB"
        @update:model-value="number($event, (given) => (settings.largestValueBytes = Math.round(given * KB)))"
      />
      <v-text-field
        type="number"
        min="0"
        step="any"
        label="Longest lifetime (hours; empty: as your content system says)"
        :model-value="settings.lifetimeS === null ? '' : settings.lifetimeS / HOUR_S"
        @update:model-value="hours"
      />
      <SelectField
        v-model="settings.packFromBytes"
        class="compress"
        :disabled="isOutside"
        :items="COMPRESS"
        none="never"
        label="Compress values"
        :hint="
          isOutside
            ? 'Not offered where values are kept in your own server (ZEST_OBJECTS_URL).'
            : 'More fits into the memory; every read of such a value takes a little longer.'
        "
      />
      <p class="small muted">Switching it off empties it; your content system then asks its database every time.</p>
      <ActionButton type="submit" color="primary" variant="flat" :disabled="!changed" :under-way="saving"
        >Save</ActionButton
      >
    </fieldset>
  </form>
</template>

<style scoped>
.settings {
  max-width: 34rem;
  margin-top: 1.2rem;
}
fieldset {
  display: grid;
  gap: 0.7rem;
  justify-items: start;
}
fieldset > :deep(.v-input),
.compress {
  width: 100%;
}
</style>
