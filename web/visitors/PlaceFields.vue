<script setup lang="ts">
import type { Place } from '../../core/contracts/measuring.ts'

/** A place by name and coordinates; empty: not known. */
defineProps<{ label: string }>()
const place = defineModel<Place | null>({ required: true })
const set = (part: Partial<Place>): void => {
  place.value = { name: 'Here', latitude: 0, longitude: 0, ...place.value, ...part }
}
</script>

<template>
  <div class="place" role="group" :aria-label="label">
    <v-text-field
      :model-value="place?.name ?? ''"
      :label="label"
      placeholder="not known"
      clearable
      @update:model-value="(name: string | null) => (name ? set({ name }) : (place = null))"
    />
    <template v-if="place">
      <v-text-field
        :model-value="place.latitude"
        type="number"
        step="any"
        min="-90"
        max="90"
        label="Latitude"
        @update:model-value="(value: unknown) => set({ latitude: Number(value) })"
      />
      <v-text-field
        :model-value="place.longitude"
        type="number"
        step="any"
        min="-180"
        max="180"
        label="Longitude"
        @update:model-value="(value: unknown) => set({ longitude: Number(value) })"
      />
    </template>
  </div>
</template>

<style scoped>
.place {
  display: grid;
  grid-template-columns: minmax(130px, 1.6fr) minmax(90px, 1fr) minmax(90px, 1fr);
  gap: 0.5rem;
}
</style>
